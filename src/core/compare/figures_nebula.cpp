#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/compare/figures.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct Signal {
    double value = 0, sigma = 0, snr = 0;
    double shared = 0; ///< that part of sigma which is the background's error too
    std::vector<std::string> flags;
    bool valid = false;
};

Signal signalOf(const Sky& sky, const Trial& trial, const Region& region) {
    const BoxNoise& noise = sky.noise;
    Signal out;
    const auto it = sky.plane->regions.find(region.id);
    if (it == sky.plane->regions.end() || it->second.used < 4) return out;
    const RegionSum& sum = it->second;
    const RegionSky under = regionSky(sky, trial.regions, sum.basis, noise.inflation);
    if (!under.valid) return out;
    out.value = sum.mean - under.level;
    out.sigma = std::hypot(meanSigma(sum.pixelSigma, sum.used, noise.inflation), under.sigma,
                           std::hypot(sum.fillSigma, kStarlightError * (sum.starlight - sky.plane->sky.starlight)));
    out.shared = under.shared;
    if (under.fallback) out.flags.push_back(flag::noSkyRegion);
    if (noise.correlation > 1.3) out.flags.push_back(flag::correlatedNoise);
    out.snr = noise.valid ? out.value / noise.value : 0;
    out.valid = true;
    return out;
}

/// The plane of the baseline that a run's channel is held against: the same channel, else (mono against colour) the one that shows the region best.
const Sky* counterpart(const std::vector<Sky>& baseline, const std::string& channel, const Trial& trial, const Region& region) {
    const Sky* best = nullptr;
    double top = -1e300;
    for (const Sky& s : baseline) {
        if (s.plane->channel == channel) return &s;
        const Signal signal = signalOf(s, trial, region);
        if (signal.valid && signal.snr > top) {
            top = signal.snr;
            best = &s;
        }
    }
    return best;
}

struct Interval {
    double value = 0, sigma = 0;
};

/// Square of the ratio of two signals to noise, with the sign of the first. A baseline that hardly shows the nebula makes it uncertain to one side above all:
/// sigma is half of what the ratios that fit within one sigma span (Fieller 1954, J. R. Stat. Soc. B 16, 175). The second must be more than its sigma.
Interval hoursOf(double a, double aSigma, double b, double bSigma) {
    const auto square = [](double r) { return std::copysign(r * r, r); };
    const double aa = a * a - aSigma * aSigma, bb = b * b - bSigma * bSigma, spread = std::sqrt(std::max(0.0, a * a * b * b - aa * bb));
    return {square(a / b), 0.5 * (square((a * b + spread) / bb) - square((a * b - spread) / bb))};
}

} // namespace

void nebulaFigures(FigureSheet& sheet, const Trial& trial, const std::vector<Sky>& run, const std::vector<Sky>& baseline, bool isBaseline,
                   const RunConditions& base, double perArea) {
    const RunConditions& c = sheet.conditions();
    for (const Sky& sky : run) {
        const BoxNoise& noise = sky.noise;
        if (noise.valid && c.total_s) {
            const double hour = std::sqrt(*c.total_s / 3600);
            sheet.add(sky.plane->channel, q::faintLimit, "", 5 * noise.value * hour, 5 * noise.sigma * hour, noise.flags());
        } else {
            sheet.absent(sky.plane->channel, q::faintLimit, "",
                         noise.valid ? phrase("the total integration is unknown") : phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"));
        }
    }
    for (const Region& region : trial.regions) {
        if (region.role != RegionRole::Nebula) continue;
        // The channel that speaks for the run: the region's, else the one of best SNR.
        std::string spokesman = region.channel;
        double best = -1e300;
        for (const Sky& sky : run) {
            const Signal s = signalOf(sky, trial, region);
            if (region.channel.empty() && s.valid && s.snr > best) {
                best = s.snr;
                spokesman = sky.plane->channel;
            }
        }
        for (const Sky& sky : run) {
            const std::string& ch = sky.plane->channel;
            const BoxNoise& noise = sky.noise;
            const Signal s = signalOf(sky, trial, region);
            if (!s.valid) {
                const auto it = sky.plane->regions.find(region.id);
                const bool outside = it == sky.plane->regions.end() || it->second.inside == 0;
                for (const char* q : {q::nebulaSignal, q::nebulaContrast, q::nebulaSnr, q::nebulaSnrHour, q::timeRatio, q::throughput})
                    if (!isBaseline || (std::string(q) != q::timeRatio && std::string(q) != q::throughput))
                        sheet.absent(ch, q, region.id,
                                     outside ? phrase("the region lies outside this run's frame")
                                             : phrase("stars hide nearly all of the region, or there is no free sky"));
                continue;
            }
            const bool speaks = ch == spokesman || run.size() == 1;
            const auto put = [&](const char* q, double value, double sigma, std::vector<std::string> flags) {
                sheet.add(ch, q, region.id, value, sigma, std::move(flags)).headline = speaks;
            };
            put(q::nebulaSignal, s.value, s.sigma, s.flags);
            const bool pedestal = std::find(c.flags.begin(), c.flags.end(), flag::pedestalUnknown) != c.flags.end();
            const auto [background, backgroundSigma, fromModel] = backgroundOf(sky);
            if (pedestal)
                sheet.absent(ch, q::nebulaContrast, region.id, phrase("the pedestal is unknown, so there is no absolute background"));
            else if (!(background > 3 * backgroundSigma))
                sheet.absent(ch, q::nebulaContrast, region.id, phrase("the background is not above zero"));
            else {
                // What lifts the sky regions lowers the signal too.
                const double contrast = s.value / background, own = s.sigma * s.sigma - s.shared * s.shared,
                             apart = backgroundSigma * backgroundSigma - s.shared * s.shared;
                const double variance = own + std::pow((1 + contrast) * s.shared, 2) + contrast * contrast * std::max(0.0, apart);
                put(q::nebulaContrast, contrast, std::sqrt(variance) / background, s.flags);
            }

            std::vector<std::string> noisy = s.flags;
            for (const std::string& flag : noise.flags())
                if (std::find(noisy.begin(), noisy.end(), flag) == noisy.end()) noisy.push_back(flag);
            const Sky* other = counterpart(baseline, ch, trial, region);
            const BoxNoise baseNoise = other ? other->noise : BoxNoise{};
            const Signal b = other ? signalOf(*other, trial, region) : Signal{};
            if (!noise.valid) {
                for (const char* q : {q::nebulaSnr, q::nebulaSnrHour})
                    sheet.absent(ch, q, region.id, phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"));
                if (!isBaseline) sheet.absent(ch, q::timeRatio, region.id, phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"));
            } else {
                const double snrSigma = std::hypot(s.sigma / noise.value, s.snr * noise.sigma / noise.value);
                put(q::nebulaSnr, s.snr, snrSigma, noisy);
                if (c.total_s)
                    put(q::nebulaSnrHour, s.snr * std::sqrt(3600 / *c.total_s), snrSigma * std::sqrt(3600 / *c.total_s), noisy);
                else
                    sheet.absent(ch, q::nebulaSnrHour, region.id, phrase("the total integration is unknown"));
                if (!isBaseline) {
                    if (!b.valid || !baseNoise.valid || !c.total_s || !base.total_s) {
                        sheet.absent(ch, q::timeRatio, region.id, phrase("the baseline's signal or integration is unknown"));
                    } else if (b.value < 3 * b.sigma) {
                        sheet.absent(ch, q::timeRatio, region.id, phrase("the nebula is not detected in the baseline, so there is nothing to compare with"));
                    } else {
                        const Interval hours = hoursOf(s.snr / std::sqrt(*c.total_s), snrSigma / std::sqrt(*c.total_s), b.snr / std::sqrt(*base.total_s),
                                                       std::hypot(b.sigma, b.snr * baseNoise.sigma) / baseNoise.value / std::sqrt(*base.total_s));
                        put(q::timeRatio, hours.value, hours.sigma, noisy);
                    }
                }
            }
            if (isBaseline) continue;
            if (!b.valid || b.value < 3 * b.sigma)
                sheet.absent(ch, q::throughput, region.id, phrase("the nebula is not detected in the baseline, so there is nothing to divide by"));
            else
                put(q::throughput, s.value / b.value / perArea, std::hypot(s.sigma / b.value, s.value * b.sigma / (b.value * b.value)) / perArea, s.flags);
        }
    }
}

} // namespace caelumen
