#include "core/base/statistics.h"
#include "core/compare/figures.h"
#include "core/model/flags.h"
#include "core/stars/faint_stars.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <string_view>

namespace caelumen {
namespace {

bool excludedAt(const Sky& sky, Point at) {
    if (!sky.excluded || sky.excluded->empty()) return false;
    const BackgroundMesh& mesh = sky.plane->mesh;
    const int i = std::clamp(static_cast<int>(at.x) / mesh.cell, 0, mesh.across - 1), j = std::clamp(static_cast<int>(at.y) / mesh.cell, 0, mesh.down - 1);
    return (*sky.excluded)[static_cast<std::size_t>(j * mesh.across + i)] != 0;
}

/// Those in the sky regions where enough fit, else those on free sky; less the sky surface where there is one.
NoiseBoxes boxesOn(const Sky& sky, const NoiseBoxes& from, const Surface* surface) {
    NoiseBoxes out{{}, from.beside, from.apart};
    const std::vector<NoiseBox>& all = from.all;
    const bool inSky = std::count_if(all.begin(), all.end(), [](const NoiseBox& b) { return b.inSky && b.onGrid; }) >= 50;
    const int side = sky.plane->boxSide;
    out.all.reserve(all.size());
    for (const NoiseBox& b : all) {
        if (inSky ? !b.inSky : excludedAt(sky, b.centre(side))) continue;
        out.all.push_back(b);
        if (surface && surface->valid)
            out.all.back().mean -= static_cast<float>(surface->at(SurfaceBasis::at(b.centre(side), sky.plane->view.width, sky.plane->view.height)));
    }
    return out;
}

/// A variance with its error.
struct Variance {
    double value = 0, sigma = 0;
};

double errorOf(const BoxScatter& s) {
    return s.sigma / std::sqrt(2.0 * std::max(10.0, s.boxes));
}
Variance varianceOf(const BoxScatter& s) {
    return {s.sigma * s.sigma, 2 * s.sigma * errorOf(s)};
}

/// Noise of the boxes that all runs have, across the frame, brought to the sky regions by how single pixels scatter there.
Variance noiseByRuns(const Sky& sky) {
    const PlaneHarvest& h = *sky.plane;
    const bool regions = h.sky.used > 0 && h.frameNoise.value > 0;
    constexpr double kUnlike = 0.015; // how well pixels tell how boxes differ between places
    const double like = regions ? std::pow(h.noise.value / h.frameNoise.value, 2) : 1;
    return {sky.repeats->noise * like, length(sky.repeats->noiseSigma, regions ? kUnlike * sky.repeats->noise : 0) * like};
}

/// Variance of single pixels over that of box means of side k, for light that comes in star images: of Gaussians, whose squares are known.
double pixelPerBox(double k, double fwhm) {
    const double s = fwhm / kSigmaToFwhm, t = k / (2 * s);
    // One direction of a box's overlap with itself, shifted by the difference of two places within the star image.
    const double along = k * std::erf(t) - 2 * s / std::sqrt(M_PI) * (1 - std::exp(-t * t));
    return std::pow(k, 4) / (4 * M_PI * s * s) / (along * along);
}

/// Light of a star that is just seen.
double faintestSeen(const PlaneHarvest& h) {
    std::vector<double> perSigma;
    for (const Star& s : h.stars.stars)
        if (s.faint && s.snr > 0) perSigma.push_back(s.flux / s.snr);
    const double fwhm = h.stars.psf ? h.stars.psf->fwhm : 3.0;
    return kCountedStar * (perSigma.size() >= 10 ? median(std::span<double>(perSigma)) : h.stars.typicalNoise * std::sqrt(4 * M_PI) * fwhm / kSigmaToFwhm);
}

constexpr std::size_t kFewestBoxes = 12;
/// Box noise below what single pixels let expect: the runs share noise (some subs went into both), so that what repeats is not the sky.
constexpr double kShared = 0.8;

/// A star's light in a plane over that in another: the median where single stars tell, else all their light together.
double lightRatio(const PlaneHarvest& plane, const PlaneHarvest& other) {
    std::vector<double> ratios;
    double own = 0, theirs = 0, n = 0;
    for (std::size_t i = 0; i < std::min(plane.fluxes.size(), other.fluxes.size()); ++i) {
        const ApertureFlux &f = plane.fluxes[i], &g = other.fluxes[i];
        if (!f.usable || !g.usable || g.flux < 10 * g.sigma) continue;
        own += f.flux, theirs += g.flux, n += 1;
        if (f.flux > 8 * f.sigma) ratios.push_back(f.flux / g.flux);
    }
    if (ratios.size() >= 8 && 2 * static_cast<double>(ratios.size()) > n) return median(std::span<double>(ratios));
    return n >= 3 && own > 0 ? own / theirs : 0;
}

} // namespace

std::vector<std::optional<Structure>> whatRepeats(const std::vector<const Sky*>& planes, const std::vector<std::size_t>& runs, const StructureGrid& grid) {
    std::vector<StructurePlane> all(planes.size());
    std::vector<std::vector<float>> boxes(planes.size());
    const PlaneHarvest* reference = nullptr;
    for (const Sky* sky : planes)
        if (!reference || sky->plane->fluxes.size() > reference->fluxes.size()) reference = sky->plane;
    tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t n) {
        const PlaneHarvest& h = *planes[n]->plane;
        const Alignment::Affine toPlane = h.view.forward();
        boxes[n] = h.structure;
        for (int j = 0; j < grid.down; ++j)
            for (int i = 0; i < grid.across; ++i) {
                float& box = boxes[n][static_cast<std::size_t>(j * grid.across + i)];
                if (!std::isfinite(box)) continue;
                const Point at = toPlane(grid.centre(i, j));
                if (excludedAt(*planes[n], at))
                    box = std::numeric_limits<float>::quiet_NaN();
                else if (planes[n]->surface->valid)
                    box -= static_cast<float>(planes[n]->surface->at(SurfaceBasis::at(at, h.view.width, h.view.height)));
            }
        const auto channel = std::string_view("RGB").find(h.channel);
        all[n] = {runs[n], &boxes[n], channel == std::string_view::npos ? -1 : static_cast<int>(channel), lightRatio(h, *reference) / (h.boxSide * h.boxSide)};
    });
    return findStructure(all, grid);
}

std::vector<std::string> BoxNoise::flags() const {
    std::vector<std::string> out;
    if (correlation > 1.3) out.emplace_back(flag::correlatedNoise);
    if (valid && source == NoiseSource::Unknown) out.emplace_back(flag::structureUnknown);
    return out;
}

BoxNoise boxNoise(const Sky& sky, double scale) {
    BoxNoise out;
    const PlaneHarvest& h = *sky.plane;
    const NoiseBoxes seen = boxesOn(sky, h.boxes, sky.surface);
    if (seen.onGrid() < kFewestBoxes) return out;
    const BoxScatter scatter = boxScatter(seen, h.boxSide, h.noise.value);
    const double k = h.boxSide;
    Variance noise = varianceOf(scatter);
    if (const NoiseBoxes halves = boxesOn(sky, h.halfBoxes, nullptr); halves.onGrid() >= kFewestBoxes) {
        out.source = NoiseSource::Halves;
        const Variance total = noise;
        noise = varianceOf(boxScatter(halves, h.boxSide, h.noise.value));
        out.structure = total.value - noise.value;
        out.structureSigma = length(noise.sigma, total.sigma);
    } else if (sky.repeats) {
        const double white = std::pow(h.noise.value / k, 2), least = kShared * kShared * white;
        const Variance left = noiseByRuns(sky);
        if (left.value + 2.5 * left.sigma > least) {
            out.source = NoiseSource::Runs;
            noise = left.value > least ? left : Variance{least, length(left.sigma, white - least)}; // no less than what single pixels scatter by
            out.structure = sky.repeats->variance;
            out.structureSigma = sky.repeats->sigma;
        }
    }
    const double perBox = std::sqrt(noise.value), sigma = noise.sigma / (2 * perBox);
    if (out.source != NoiseSource::Unknown && out.structure > 0) {
        if (out.source == NoiseSource::Runs) out.pixelStructure = out.structure * pixelPerBox(k, h.stars.psf ? h.stars.psf->fwhm : 3.0);
        // Stars fainter than those hidden, of which N(>F) falls with F to the power of -0.6: their light from what it scatters by.
        constexpr double kCounts = 0.6;
        out.unseenLight = out.structure * k * k * (2 - kCounts) / ((1 - kCounts) * faintestSeen(h));
    }
    // From k plane pixels to exactly 10 arcsec.
    const double sized = scale > 0 ? k * scale * h.view.geometry.pitch / 10 : 1;
    out.value = perBox * sized;
    out.sigma = sigma * sized;
    out.structure *= sized * sized;
    out.structureSigma *= sized * sized;
    out.correlation = h.noise.value > 0 ? perBox * k / h.noise.value : 1;
    // What is no noise makes a mean uneven all the same.
    out.inflation = std::max({h.noise.value > 0 ? scatter.sigma * k / h.noise.value : 1, out.correlation, sky.surface->valid ? sky.surface->excess : 1.0});
    out.valid = out.value > 0;
    return out;
}

} // namespace caelumen
