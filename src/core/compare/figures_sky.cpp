#include "core/base/linear_algebra.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/compare/figures.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/sky/ephemeris.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {

Measurement& FigureSheet::add(const std::string& channel, const std::string& what, const std::string& region, double value, double sigma,
                              std::vector<std::string> flags) {
    for (const std::string& f : m_conditions.flags)
        if (std::find(flags.begin(), flags.end(), f) == flags.end()) flags.push_back(f);
    m_results.measurements.push_back({m_run.id, m_run.filter, channel, what, region, value, sigma, std::move(flags), false, {}});
    return m_results.measurements.back();
}

void FigureSheet::absent(const std::string& channel, const std::string& what, const std::string& region, const std::string& reason) {
    m_results.absent.push_back({m_run.id, channel, what, region, reason});
}

double meanSigma(double pixelSigma, std::size_t used, double inflation) {
    return used == 0 ? 0 : pixelSigma * std::max(1.0, inflation) / std::sqrt(static_cast<double>(used));
}

RegionSky regionSky(const Sky& sky, const std::vector<Region>& regions, const SurfaceBasis& at, double inflation) {
    RegionSky out;
    const PlaneHarvest& h = *sky.plane;
    const double skySigma = meanSigma(h.sky.pixelSigma, h.sky.used, inflation);
    const bool meshGood = sky.surface->valid && sky.surface->coverage >= 0.4;
    if (meshGood) {
        if (h.sky.used > 0) {
            out.level = h.sky.mean + sky.surface->at(at) - sky.surface->at(h.sky.basis);
            out.shared = skySigma;
            out.sigma = std::sqrt(skySigma * skySigma + sky.surface->differenceVariance(at, h.sky.basis));
        } else {
            out.level = sky.surface->at(at);
            out.sigma = std::sqrt(sky.surface->covariance[0][0] + sky.surface->differenceVariance(at, {}));
            out.fallback = true;
        }
        out.valid = true;
        return out;
    }
    // Too little free sky for a model: the sky regions themselves.
    out.fallback = true;
    std::vector<const RegionSum*> places;
    for (const Region& r : regions) {
        const auto it = h.regions.find(r.id);
        if (r.role == RegionRole::Sky && it != h.regions.end() && it->second.used > 0) places.push_back(&it->second);
    }
    if (places.empty()) {
        if (!sky.surface->valid) return out;
        out.level = sky.surface->at(at);
        out.sigma = std::sqrt(sky.surface->covariance[0][0] + sky.surface->differenceVariance(at, {}));
        out.valid = true;
        return out;
    }
    const int unknowns = places.size() >= 5 ? 4 : places.size() >= 3 ? 3 : 1;
    Eigen::MatrixXd a(static_cast<Eigen::Index>(places.size()), unknowns);
    Eigen::VectorXd y(static_cast<Eigen::Index>(places.size())), w(y.size());
    for (Eigen::Index i = 0; i < y.size(); ++i) {
        const RegionSum& p = *places[static_cast<std::size_t>(i)];
        const std::array<double, 4> row{1, p.basis.u, p.basis.v, p.basis.rr};
        const double sigma = std::max(meanSigma(p.pixelSigma, p.used, inflation), 1e-12);
        w[i] = 1 / sigma;
        y[i] = p.mean * w[i];
        for (int k = 0; k < unknowns; ++k) a(i, k) = row[static_cast<std::size_t>(k)] * w[i];
    }
    const LeastSquares fit = leastSquares(a, y);
    const std::array<double, 4> here{1, at.u, at.v, at.rr};
    if (unknowns > 1 && fit.rank == unknowns) {
        const Eigen::MatrixXd covariance = covarianceOf(a);
        Eigen::VectorXd b(unknowns);
        for (int k = 0; k < unknowns; ++k) b[k] = here[static_cast<std::size_t>(k)];
        out.level = fit.solution.dot(b);
        out.sigma = std::sqrt(std::max(0.0, b.dot(covariance * b)));
        out.valid = std::isfinite(out.level);
        if (out.valid && out.sigma < 0.2 * std::abs(out.level) + h.noise.value) return out;
    }
    out.level = h.sky.mean;
    out.sigma = out.shared = skySigma;
    if (places.size() > 1) { // their disagreement says how flat the sky is
        std::vector<double> levels;
        for (const RegionSum* p : places) levels.push_back(p->mean);
        double mean = 0, square = 0;
        for (const double v : levels) mean += v / static_cast<double>(levels.size());
        for (const double v : levels) square += (v - mean) * (v - mean);
        out.sigma = std::hypot(out.sigma, std::sqrt(square / static_cast<double>(levels.size() - 1) / static_cast<double>(levels.size())));
    }
    out.valid = true;
    return out;
}

/// Part of the light of stars too faint to hide that may count as stars or as sky, as one likes: near the limit some are found and some are not.
constexpr double kUnseenError = 0.4;

Background backgroundOf(const Sky& sky) {
    const RegionSum& pooled = sky.plane->sky;
    if (pooled.used == 0) return {sky.surface->b0, std::sqrt(std::max(0.0, sky.surface->covariance[0][0])), true};
    // Unresolved stars skew the sky; what the skew shows beyond its own noise joins the error.
    const double statistical = meanSigma(pooled.pixelSigma, pooled.used, sky.noise.inflation);
    const double sigma = std::sqrt(statistical * statistical + std::pow(std::max(0.0, pooled.skew - 2 * statistical), 2) +
                                   std::pow(kStarlightError * pooled.starlight, 2) + std::pow(kUnseenError * sky.noise.unseenLight, 2));
    // What stars hide is as bright as the sky model says it is beside what they leave.
    return {pooled.mean + (sky.surface->valid ? sky.surface->at(pooled.whole) - sky.surface->at(pooled.basis) : 0.0), sigma, false};
}

namespace {

std::string howNoiseWasTold(NoiseSource source) {
    switch (source) {
    case NoiseSource::Halves:
        return phrase("noise by what the odd and the even half of the stack differ by");
    case NoiseSource::Runs:
        return phrase("the sky's own structure, which repeats from run to run, is taken out");
    case NoiseSource::Unknown:
        break;
    }
    return phrase("no half stacks and no other run to tell noise from the sky's own structure by: it may hold both");
}

void noiseFigures(FigureSheet& sheet, const Sky& sky) {
    const BoxNoise& noise = sky.noise;
    const std::string& channel = sky.plane->channel;
    if (!noise.valid) {
        for (const char* q : {q::boxNoise, q::noiseCorrelation, q::skyStructure})
            sheet.absent(channel, q, "", phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"));
        return;
    }
    const std::vector<std::string> flags = noise.flags();
    sheet.add(channel, q::boxNoise, "", noise.value, noise.sigma, flags).note = howNoiseWasTold(noise.source);
    sheet.add(channel, q::noiseCorrelation, "", noise.correlation,
              noise.correlation * length(noise.sigma / noise.value, sky.plane->noise.sigma() / sky.plane->noise.value), flags);
    if (noise.source == NoiseSource::Unknown) {
        sheet.absent(channel, q::skyStructure, "", phrase("there are neither half stacks nor another run to tell noise from the sky's own structure by"));
        return;
    }
    if (noise.structure > 2.5 * noise.structureSigma) {
        const double rms = std::sqrt(noise.structure);
        sheet.add(channel, q::skyStructure, "", rms, noise.structureSigma / (2 * rms));
    } else {
        const double most = std::sqrt(std::max(0.0, noise.structure) + 3 * noise.structureSigma);
        sheet.add(channel, q::skyStructure, "", most, most / 3, {flag::upperLimit});
    }
}

} // namespace

void backgroundFigures(FigureSheet& sheet, const Sky& sky, const Sky* baseline, double perArea) {
    const PlaneHarvest& h = *sky.plane;
    const BoxNoise& noise = sky.noise;
    std::vector<std::string> flags;
    const bool known = std::find(sheet.conditions().flags.begin(), sheet.conditions().flags.end(), flag::pedestalUnknown) == sheet.conditions().flags.end();
    if (h.sky.used == 0 && !sky.surface->valid) {
        for (const char* q : {q::background, q::backgroundRatio, q::backgroundMag})
            sheet.absent(h.channel, q, "", phrase("there is neither a sky region nor enough free sky for a model"));
    } else {
        const Background own = backgroundOf(sky);
        const double value = own.level;
        if (own.fromModel) flags.push_back(flag::noSkyRegion);
        if (noise.correlation > 1.3) flags.push_back(flag::correlatedNoise);
        sheet.add(h.channel, q::background, "", value, own.sigma, flags);
        if (baseline) {
            const Background base = backgroundOf(*baseline);
            const double ratio = value / base.level / perArea;
            if (!known) {
                for (const char* q : {q::backgroundRatio, q::backgroundMag})
                    sheet.absent(h.channel, q, "", phrase("the pedestal is unknown, so there is no absolute background to divide"));
            } else if (base.level > 3 * base.sigma && value > 0) {
                const double relative = std::hypot(own.sigma / value, base.sigma / base.level);
                sheet.add(h.channel, q::backgroundRatio, "", ratio, ratio * relative, flags);
                sheet.add(h.channel, q::backgroundMag, "", -2.5 * std::log10(ratio), 2.5 / std::log(10.0) * relative, flags);
            } else {
                for (const char* q : {q::backgroundRatio, q::backgroundMag})
                    sheet.absent(h.channel, q, "", phrase("the background is not above zero; check the pedestal"));
            }
        }
    }
    if (h.noise.value > 0) {
        const double structure = std::min(noise.pixelStructure, 0.3 * h.noise.value * h.noise.value),
                     value = std::sqrt(h.noise.value * h.noise.value - structure);
        const double doubt = noise.structure > 0 ? structure * std::min(1.0, noise.structureSigma / noise.structure) : 0;
        sheet.add(h.channel, q::pixelNoise, "", value, length(h.noise.sigma(), (doubt + 0.2 * structure) / (2 * value)));
    } else
        sheet.absent(h.channel, q::pixelNoise, "", phrase("no unmasked sky pixels"));
    noiseFigures(sheet, sky);
}

namespace {

/// Where the moon and the glows of towns lie from the target, to hold the gradient's direction against.
std::string lightsAround(const RunConditions& c, const Site& site) {
    if (!c.sky || !c.sky->target || !site.latitude_deg) return {};
    std::string out;
    if (c.sky->moon.alt_deg > 0) out += phrase("; the moon lies towards {:.0f} deg", positionAngleTowards(*c.sky->target, c.sky->moon, *site.latitude_deg));
    for (const LightDome& d : site.domes)
        out += phrase("; a light dome lies towards {:.0f} deg", positionAngleTowards(*c.sky->target, {0, d.azimuth_deg}, *site.latitude_deg));
    return out;
}

} // namespace

void gradientFigures(FigureSheet& sheet, const Sky& sky, const Site& site) {
    const PlaneHarvest& h = *sky.plane;
    const Surface& s = *sky.surface;
    if (!s.valid) {
        for (const char* q : {q::gradient, q::gradientRate, q::gradientAngle, q::vignette, q::gradientResidual})
            sheet.absent(h.channel, q, "", phrase("too few free mesh cells for a sky model"));
        return;
    }
    // Corners in u, v: the span of a plane over a rectangle.
    const double half = 0.5 * std::hypot(h.view.width, h.view.height);
    const double cu = 0.5 * (h.view.width - 1) / half, cv = 0.5 * (h.view.height - 1) / half;
    const double span = 2 * (std::abs(s.bx) * cu + std::abs(s.by) * cv);
    const double du = 2 * cu * (s.bx < 0 ? -1 : 1), dv = 2 * cv * (s.by < 0 ? -1 : 1);
    const auto& c = s.covariance;
    const double spanSigma = std::sqrt(std::max(0.0, du * du * c[1][1] + dv * dv * c[2][2] + 2 * du * dv * c[1][2]));
    const bool known = std::find(sheet.conditions().flags.begin(), sheet.conditions().flags.end(), flag::pedestalUnknown) == sheet.conditions().flags.end();
    std::vector<std::string> flags;
    if (span < 2 * spanSigma) flags.push_back(flag::noiseLimited);
    if (known && s.b0 > 0) {
        const double value = span / s.b0;
        sheet.add(h.channel, q::gradient, "", value, std::hypot(spanSigma / s.b0, value * std::sqrt(c[0][0]) / s.b0), flags);
        sheet.add(h.channel, q::vignette, "", s.q / s.b0, std::hypot(std::sqrt(c[3][3]) / s.b0, s.q / s.b0 * std::sqrt(c[0][0]) / s.b0));
    } else {
        const std::string why = known ? phrase("the level at the centre is not above zero; check the pedestal")
                                      : phrase("the pedestal is unknown, so there is no level to divide by");
        sheet.absent(h.channel, q::gradient, "", why);
        sheet.absent(h.channel, q::vignette, "", why);
    }
    sheet.add(h.channel, q::gradientRate, "", span, spanSigma, flags);
    const auto& wcs = sheet.conditions().wcs;
    const double size = std::hypot(s.bx, s.by);
    const double across = std::sqrt(std::max(0.0, (s.by * s.by * c[1][1] + s.bx * s.bx * c[2][2] - 2 * s.bx * s.by * c[1][2]) / (size * size)));
    const double angleSigma = std::min(104.0, std::atan2(across, size) * 180 / M_PI); // 104 degrees: no direction at all
    auto& angle = sheet.add(h.channel, q::gradientAngle, "", std::atan2(s.by, s.bx) * 180 / M_PI, angleSigma, flags);
    if (hasRing(h.mesh, *sky.excluded, s, h.view.width, h.view.height)) angle.note = phrase("ring in the residual");
    if (wcs)
        angle.note += phrase("{}towards position angle {:.0f} deg on the sky", angle.note.empty() ? "" : "; ", wcs->positionAngle(angle.value)) +
                      lightsAround(sheet.conditions(), site);
    sheet.add(h.channel, q::gradientResidual, "", s.residual, s.residual / std::sqrt(2.0 * std::max(1.0, static_cast<double>(s.cells) - 4)));
}

void artefactFigures(FigureSheet& sheet, const Sky& sky) {
    const PlaneHarvest& h = *sky.plane;
    for (const auto& [what, b] : {std::pair{q::bandingRows, h.banding.rows}, std::pair{q::bandingColumns, h.banding.columns}}) {
        if (!b.valid) {
            sheet.absent(h.channel, what, "", phrase("too few rows or columns with enough free sky"));
        } else if (b.variance > 3 * b.sigma) {
            const double rms = std::sqrt(b.variance);
            sheet.add(h.channel, what, "", rms, 0.5 * b.sigma / rms);
        } else { // what would have been seen
            const double rms = std::sqrt(std::max(0.0, b.variance) + 3 * b.sigma);
            sheet.add(h.channel, what, "", rms, rms / 3, {flag::upperLimit});
        }
    }
}

void starFigures(FigureSheet& sheet, const Sky& sky, const Sky* baseline) {
    const PlaneHarvest& h = *sky.plane;
    const auto& stars = h.stars.stars;
    const auto count = static_cast<double>(h.stars.counted());
    const auto saturated = static_cast<double>(std::count_if(stars.begin(), stars.end(), [](const Star& s) { return s.saturated; }));
    const double pitch = h.view.geometry.pitch;
    const auto& c = sheet.conditions();
    sheet.add(h.channel, q::starCount, "", count, std::sqrt(std::max(1.0, count)));
    if (c.scale_arcsec) {
        const double area = static_cast<double>(c.width) * c.height * std::pow(*c.scale_arcsec / 3600, 2);
        sheet.add(h.channel, q::starDensity, "", count / area, std::sqrt(std::max(1.0, count)) / area);
    } else {
        sheet.absent(h.channel, q::starDensity, "", phrase("the pixel scale is unknown; give pixel size and focal length"));
    }
    sheet.add(h.channel, q::saturatedStars, "", saturated, std::sqrt(saturated));
    const std::vector<std::string> few = h.stars.psf && h.stars.psf->stars < 10 ? std::vector<std::string>{flag::fewStars} : std::vector<std::string>{};
    if (h.stars.psf) {
        const Psf& p = *h.stars.psf;
        sheet.add(h.channel, q::starFwhm, "", p.fwhm * pitch, p.fwhmSigma * pitch, few);
        if (c.scale_arcsec) sheet.add(h.channel, q::starFwhmArcsec, "", p.fwhm * pitch * *c.scale_arcsec, p.fwhmSigma * pitch * *c.scale_arcsec, few);
        sheet.add(h.channel, q::starEccentricity, "", p.eccentricity, p.eccentricitySigma, few);
        if (p.tilt) {
            std::vector<std::string> flags = few;
            if (*p.tilt - 1 < 2 * p.tiltSigma) flags.push_back(flag::noiseLimited);
            sheet.add(h.channel, q::starTilt, "", *p.tilt, p.tiltSigma, flags);
        } else {
            sheet.absent(h.channel, q::starTilt, "", phrase("fewer than 5 bright stars in the centre or in every corner"));
        }
    } else {
        for (const char* q : {q::starFwhm, q::starFwhmArcsec, q::starEccentricity, q::starTilt})
            sheet.absent(h.channel, q, "", phrase("fewer than 3 unsaturated stars are bright enough to fit"));
    }
    if (!baseline) return;
    const PlaneHarvest& b = *baseline->plane;
    if (h.stars.psf && b.stars.psf) {
        const double ratio = h.stars.psf->fwhm * pitch / h.view.alignment.scale / (b.stars.psf->fwhm * b.view.geometry.pitch);
        sheet.add(h.channel, q::softness, "", ratio, ratio * std::hypot(h.stars.psf->fwhmSigma / h.stars.psf->fwhm, b.stars.psf->fwhmSigma / b.stars.psf->fwhm),
                  few);
    }
    // An aperture holds less of a wider star image, and the part of its ring that is not masked takes some of the star for sky: both as if all the light within
    // four FWHM had been caught, as far as wings are well known.
    struct Catch {
        double aperture = 1, area = 0, whole = 1;
        double of(const ApertureFlux& f) const { return (aperture - f.ringLight * area) / whole; }
    } own, theirs;
    if (h.stars.psf && b.stars.psf && h.apertureRadius > 0 && b.apertureRadius > 0) {
        const double whole = 4 * b.stars.psf->fwhm;
        const auto of = [](const PlaneHarvest& p, double reach) {
            return Catch{p.stars.psf->inAperture(p.apertureRadius), M_PI * p.apertureRadius * p.apertureRadius, p.stars.psf->enclosed(reach)};
        };
        own = of(h, whole * h.view.scale() / b.view.scale());
        theirs = of(b, whole);
    }
    std::vector<double> ratios, corrections;
    for (std::size_t i = 0; i < std::min(h.fluxes.size(), b.fluxes.size()); ++i) {
        const ApertureFlux &f = h.fluxes[i], &g = b.fluxes[i];
        if (f.usable && g.usable && f.flux > 10 * f.sigma && g.flux > 20 * g.sigma) {
            corrections.push_back(theirs.of(g) / own.of(f));
            ratios.push_back(f.flux / g.flux * corrections.back());
        }
    }
    if (ratios.size() < 8) {
        sheet.absent(h.channel, q::starThroughput, "", phrase("fewer than 8 matched stars above SNR 10"));
        return;
    }
    const double value = median(std::span<double>(ratios)), correction = median(std::span<double>(corrections));
    // Wings are known to some six per cent of what the correction takes from them.
    sheet.add(h.channel, q::starThroughput, "", value, std::hypot(medianSigma(ratios), 0.06 * value * std::abs(correction - 1)));
}

} // namespace caelumen
