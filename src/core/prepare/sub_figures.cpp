#include "core/prepare/sub_figures.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/measure/harvest.h"
#include "core/prepare/trails.h"
#include "core/sky/moonlight.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace caelumen {
namespace {

constexpr std::size_t kMostStars = 600;

Surface skySurface(const BackgroundMesh& mesh, const Plane& plane) {
    return fitSurface(mesh, std::vector<char>(mesh.cells.size(), 0), plane.width(), plane.height());
}

/// The median of the cells: what the frame's sky is where the surface cannot be told.
double middleLevel(const BackgroundMesh& mesh) {
    std::vector<double> levels;
    for (const MeshCell& c : mesh.cells)
        if (c.used) levels.push_back(c.level);
    return median(std::span<double>(levels));
}

/// What a sub tells of one channel's sky.
struct ChannelSky {
    bool usable = false;
    std::array<double, 4> surface{};
    double noise = 0, vignetteSigma = 0;
};
ChannelSky channelSky(const BackgroundMesh& mesh, const Plane& plane) {
    if (mesh.coverage() <= 0) return {};
    const Surface s = skySurface(mesh, plane);
    return {true, s.valid ? std::array{s.b0, s.bx, s.by, s.q} : std::array{middleLevel(mesh), 0.0, 0.0, 0.0}, SmoothSky(mesh).typicalSigma(),
            s.valid && s.b0 > 0 ? std::sqrt(s.covariance[3][3]) / s.b0 : 0};
}

/// Hot pixels as well: they are part of what a sensor does.
double partAbove(const Plane& plane, float limit) {
    std::size_t full = 0;
    for (std::size_t i = 0; i < plane.size(); i += 7) full += plane.data()[i] >= limit;
    return 7.0 * static_cast<double>(full) / static_cast<double>(plane.size());
}

double radiusFor(const Psf& psf) {
    return std::clamp(2 * psf.fwhm, 2.0, 30.0);
}

} // namespace

double skyRate(const SubFigures& f, std::optional<double> gain) {
    const auto level = f.level.find(f.channel);
    return level == f.level.end() ? 0 : level->second / f.exposure_s.value_or(1) * gain.value_or(1);
}

std::size_t starChannel(const std::vector<Plane>& planes, const FrameInfo& info, double fullScale) {
    if (planes.size() < 3) return 0;
    std::vector<std::ptrdiff_t> counts;
    for (std::size_t c = 0; c < planes.size(); ++c) {
        const PlaneStars s = findStars(planes[c], fullScale, info.geometry(c).split);
        counts.push_back(s.counted());
    }
    const auto best = static_cast<std::size_t>(std::max_element(counts.begin(), counts.end()) - counts.begin());
    return 10 * counts[1] >= 8 * counts[best] ? 1 : best;
}

std::optional<double> ownAperture(std::vector<Plane>& planes, const FrameInfo& info, const SubMeasuring& how) {
    Plane& clean = planes[how.channel];
    const SmoothSky fine = findingSky(clean);
    const FirstLook look = lookForStars(clean, fine);
    const auto psf = starImage(clean, fine, look, how.fullScale, info.geometry(how.channel).split);
    return psf ? std::optional(radiusFor(*psf)) : std::nullopt;
}

SubFigures measureSub(std::vector<Plane>& planes, const FrameInfo& info, const SubMeasuring& how) {
    SubFigures out;
    out.file = nameText(info.path);
    out.start = info.facts.start.value_or("");
    out.exposure_s = info.facts.sub_exposure_s;
    out.temperature_c = info.facts.sensor_temperature_c;
    const BackgroundMesh own = sampleMesh(planes[how.channel], defaultCell(planes[how.channel]));
    Plane& plane = planes[how.channel];
    std::vector<ChannelSky> skies(planes.size());
    std::optional<SmoothSky> smooth;
    PlaneStars stars;
    tbb::parallel_invoke(
        [&] {
            tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t c) {
                skies[c] = c == how.channel ? channelSky(own, plane) : channelSky(sampleMesh(planes[c], defaultCell(planes[c])), planes[c]);
            });
        },
        [&] {
            if (own.coverage() <= 0) return;
            smooth = findingSky(plane);
            out.saturatedPart = partAbove(plane, static_cast<float>(0.98 * how.fullScale));
            const FirstLook look = lookForStars(plane, *smooth);
            stars = findStars(plane, *smooth, look, how.fullScale, info.geometry(how.channel).split);
        });
    for (std::size_t c = 0; c < planes.size(); ++c) {
        if (!skies[c].usable) {
            out.problem = phrase("It holds no usable pixels.");
            return out;
        }
        const std::string& name = info.channels[c];
        out.sky[name] = skies[c].surface, out.level[name] = skies[c].surface[0], out.noise[name] = skies[c].noise;
    }
    const SmoothSky& fine = *smooth;
    out.vignetteSigma = skies[how.channel].vignetteSigma;
    const PlaneGeometry geometry = info.geometry(how.channel);
    out.channel = info.channels[how.channel];
    const auto& sky = out.sky[out.channel];
    const SurfaceBasis corner = SurfaceBasis::at({0, 0}, plane.width(), plane.height());
    if (sky[0] > 0) {
        out.gradient = 2 * (std::abs(sky[1] * corner.u) + std::abs(sky[2] * corner.v)) / sky[0];
        out.vignette = sky[3] / sky[0];
    }

    out.stars = stars.counted();
    if (stars.psf)
        out.fwhm_px = stars.psf->fwhm * geometry.pitch, out.eccentricity = stars.psf->eccentricity, out.tilt = stars.psf->tilt,
        out.tiltSigma = stars.psf->tiltSigma;
    const double radius = how.apertureRadius > 0 ? how.apertureRadius : stars.psf ? radiusFor(*stars.psf) : 6;
    out.aperture_px = radius * geometry.pitch;

    std::vector<std::size_t> order(stars.stars.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return stars.stars[a].flux > stars.stars[b].flux; });
    order.resize(std::min(order.size(), kMostStars));
    std::vector<SubStar> found(order.size());
    ApertureOptions aperture;
    aperture.radius = radius;
    aperture.saturation = stars.saturation;
    aperture.pixelNoise = stars.typicalNoise;
    tbb::parallel_for(std::size_t{0}, order.size(), [&](std::size_t i) {
        const Star& s = stars.stars[order[i]];
        SubStar to{geometry.toStored({s.x, s.y}), 0, s.flux};
        if (!s.saturated && !s.blended) {
            const ApertureFlux f = apertureFlux(plane, {}, fine, {s.x, s.y}, aperture);
            if (f.usable && f.flux > 15 * f.sigma) to.flux = f.flux;
        }
        found[i] = to;
    });
    out.found = std::move(found);
    out.trails = countTrails(plane, fine, stars.stars, stars.psf ? stars.psf->fwhm : 3);
    return out;
}

void placeInSky(SubFigures& f, const Site& site, const Target& target) {
    if (!site.latitude_deg || !site.longitude_deg || f.start.empty()) return;
    const auto time = parseTime(f.start);
    if (!time) return;
    const SkyMoment m =
        skyAt({*site.latitude_deg, *site.longitude_deg, site.elevation_m}, time->plusSeconds(f.exposure_s.value_or(0) / 2), target.ra_deg, target.dec_deg);
    f.sunAltitude_deg = m.sun.alt_deg;
    f.moonAltitude_deg = m.moon.alt_deg;
    if (!m.target) return;
    f.airmass = m.airmass;
    if (m.target->alt_deg > 0)
        f.moonlight_nL = moonlightNanoLamberts(m.moonPhaseAngle_deg, m.moon.alt_deg, m.target->alt_deg, m.moonSeparation_deg.value_or(90));
}

} // namespace caelumen
