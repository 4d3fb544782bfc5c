#include "core/plan/proof_error.h"

#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kBox_arcsec = 10;
constexpr double kTrend = 0.0004; ///< of the background: what the sky's surface leaves
constexpr double kClumps = 0.42;  ///< of the scatter that faint stars add to boxes: they crowd over regions, not over boxes alone
constexpr double kRim = 0.018;    ///< of the signal: the nebula's own light in the sky regions
constexpr double kParting = 0.13; ///< of the part of the boxes' variance that is structure: how well it is taken out
constexpr double kApart = 0.65;   ///< of two runs' errors together that parts them: the same stars, rim and sky are in both
constexpr double kCounts = 0.6;   ///< N(>F) falls with F to this power
constexpr double kFound = 3.5;    ///< signal to noise down to which little of a star is left: they are hidden from 4.5 on

} // namespace

double starsTo15(double ra_deg, double dec_deg) {
    constexpr double kRad = M_PI / 180, kPoleRa = 192.8595, kPoleDec = 27.1284; // the galactic pole (J2000)
    const double sine =
        std::sin(dec_deg * kRad) * std::sin(kPoleDec * kRad) + std::cos(dec_deg * kRad) * std::cos(kPoleDec * kRad) * std::cos((ra_deg - kPoleRa) * kRad);
    return 330 / (std::abs(sine) + 0.11);
}

double faintestFound(const RunRates& r, double exposure_s, double subs) {
    const double noise2 = (r.background + r.readNoise_e * r.readNoise_e / exposure_s) / (exposure_s * subs);
    return -2.5 * std::log10(kFound * std::sqrt(noise2 * 4 * M_PI) * r.fwhm_px / kSigmaToFwhm / r.starRate);
}

ForetoldRun foretellRun(const RunRates& r, double exposure_s, double subs, const ProofGround& g, double hiddenTo) {
    ForetoldRun out;
    const double total = exposure_s * subs, read = r.readNoise_e * r.readNoise_e / exposure_s;
    if (!(total > 0)) return out;
    const double sky = (r.background + read) / total, nebula = (r.signal + r.background + read) / total; // variances of a pixel
    // Stars just too faint to be hidden, and how many of them fall into a box.
    const double box_px = std::pow(kBox_arcsec / r.scale_arcsec, 2);
    if (r.starRate > 0) {
        const double faintest = r.starRate * std::pow(10, -0.4 * hiddenTo),
                     inBox = g.starsTo15 * std::pow(10, 0.4 * kCounts * (hiddenTo - 15)) * std::pow(kBox_arcsec / 3600, 2);
        out.structure = std::sqrt(inBox * kCounts / (2 - kCounts)) * faintest / box_px;
    }
    const double box2 = sky / box_px;
    out.signalSigma = std::sqrt(nebula / g.nebula_px + sky / g.sky_px + std::pow(kTrend * r.background, 2) + std::pow(kClumps * out.structure, 2) +
                                std::pow(kRim * r.signal, 2));
    const double variance = std::hypot(std::sqrt(2 / g.boxes), kParting * out.structure * out.structure / box2); // of the noise's variance, as a part
    out.snr = r.signal / std::sqrt(sky);
    out.relativeSigma = r.signal > 0 ? std::hypot(out.signalSigma / r.signal, 0.5 * variance) : 0;
    return out;
}

double ratioSigma(const ForetoldRun& a, const ForetoldRun& b) {
    return 2 * kApart * std::hypot(a.relativeSigma, b.relativeSigma);
} // it goes with the square of both

} // namespace caelumen
