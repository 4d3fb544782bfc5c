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

/// The channel that speaks for a run: the region's, else the one of best SNR.
std::string spokesmanOf(const std::vector<Sky>& run, const Trial& trial, const Region& region) {
    std::string spokesman = region.channel;
    double best = -1e300;
    for (const Sky& sky : run) {
        const Signal s = signalOf(sky, trial, region);
        if (region.channel.empty() && s.valid && s.snr > best) best = s.snr, spokesman = sky.plane->channel;
    }
    return spokesman;
}

/// What the baseline shows in the same place.
struct Beside {
    Signal signal;
    BoxNoise noise;
    const RunConditions& conditions;
    double perArea = 1;
};

/// The figures of one region in one channel.
class RegionFigures {
public:
    RegionFigures(FigureSheet& sheet, const Sky& sky, const Region& region, const Signal& signal, bool speaks)
        : m_sheet(sheet)
        , m_sky(sky)
        , m_region(region.id)
        , m_signal(signal)
        , m_noisy(signal.flags)
        , m_speaks(speaks) {
        for (const std::string& flag : sky.noise.flags())
            if (std::find(m_noisy.begin(), m_noisy.end(), flag) == m_noisy.end()) m_noisy.push_back(flag);
    }

    void signalAndContrast() {
        put(q::nebulaSignal, m_signal.value, m_signal.sigma, m_signal.flags);
        const auto& known = m_sheet.conditions().flags;
        const auto [background, backgroundSigma, fromModel] = backgroundOf(m_sky);
        if (std::find(known.begin(), known.end(), flag::pedestalUnknown) != known.end())
            return absent(q::nebulaContrast, phrase("the pedestal is unknown, so there is no absolute background"));
        if (!(background > 3 * backgroundSigma)) return absent(q::nebulaContrast, phrase("the background is not above zero"));
        // What lifts the sky regions lowers the signal too.
        const double contrast = m_signal.value / background, own = m_signal.sigma * m_signal.sigma - m_signal.shared * m_signal.shared,
                     apart = backgroundSigma * backgroundSigma - m_signal.shared * m_signal.shared;
        const double variance = own + std::pow((1 + contrast) * m_signal.shared, 2) + contrast * contrast * std::max(0.0, apart);
        put(q::nebulaContrast, contrast, std::sqrt(variance) / background, m_signal.flags);
    }

    void signalToNoise() {
        if (!m_sky.noise.valid) {
            for (const char* q : {q::nebulaSnr, q::nebulaSnrHour}) absent(q, tooFewBoxes());
            return;
        }
        put(q::nebulaSnr, m_signal.snr, snrSigma(), m_noisy);
        if (const auto total = m_sheet.conditions().total_s)
            put(q::nebulaSnrHour, m_signal.snr * std::sqrt(3600 / *total), snrSigma() * std::sqrt(3600 / *total), m_noisy);
        else
            absent(q::nebulaSnrHour, phrase("the total integration is unknown"));
    }

    void timeRatio(const Beside& base) {
        const auto total = m_sheet.conditions().total_s, baseTotal = base.conditions.total_s;
        if (!m_sky.noise.valid) return absent(q::timeRatio, tooFewBoxes());
        if (!base.signal.valid || !base.noise.valid || !total || !baseTotal)
            return absent(q::timeRatio, phrase("the baseline's signal or integration is unknown"));
        if (base.signal.value < 3 * base.signal.sigma)
            return absent(q::timeRatio, phrase("the nebula is not detected in the baseline, so there is nothing to compare with"));
        const Interval hours = hoursOf(m_signal.snr / std::sqrt(*total), snrSigma() / std::sqrt(*total), base.signal.snr / std::sqrt(*baseTotal),
                                       std::hypot(base.signal.sigma, base.signal.snr * base.noise.sigma) / base.noise.value / std::sqrt(*baseTotal));
        put(q::timeRatio, hours.value, hours.sigma, m_noisy);
    }

    void throughput(const Beside& base) {
        const Signal& b = base.signal;
        if (!b.valid || b.value < 3 * b.sigma)
            return absent(q::throughput, phrase("the nebula is not detected in the baseline, so there is nothing to divide by"));
        put(q::throughput, m_signal.value / b.value / base.perArea,
            std::hypot(m_signal.sigma / b.value, m_signal.value * b.sigma / (b.value * b.value)) / base.perArea, m_signal.flags);
    }

private:
    static std::string tooFewBoxes() { return phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"); }
    double snrSigma() const { return std::hypot(m_signal.sigma / m_sky.noise.value, m_signal.snr * m_sky.noise.sigma / m_sky.noise.value); }
    void put(const char* q, double value, double sigma, std::vector<std::string> flags) {
        m_sheet.add(m_sky.plane->channel, q, m_region, value, sigma, std::move(flags)).headline = m_speaks;
    }
    void absent(const char* q, const std::string& why) { m_sheet.absent(m_sky.plane->channel, q, m_region, why); }

    FigureSheet& m_sheet;
    const Sky& m_sky;
    const std::string& m_region;
    const Signal& m_signal;
    std::vector<std::string> m_noisy; ///< flags of what rests on the noise too
    bool m_speaks;
};

/// Why a region has no signal, said of each of its figures.
void noSignal(FigureSheet& sheet, const Sky& sky, const Region& region, bool isBaseline) {
    const auto it = sky.plane->regions.find(region.id);
    const bool outside = it == sky.plane->regions.end() || it->second.inside == 0;
    const std::string why =
        outside ? phrase("the region lies outside this run's frame") : phrase("stars hide nearly all of the region, or there is no free sky");
    for (const char* q : {q::nebulaSignal, q::nebulaContrast, q::nebulaSnr, q::nebulaSnrHour}) sheet.absent(sky.plane->channel, q, region.id, why);
    if (isBaseline) return;
    for (const char* q : {q::timeRatio, q::throughput}) sheet.absent(sky.plane->channel, q, region.id, why);
}

void faintLimit(FigureSheet& sheet, const Sky& sky) {
    const BoxNoise& noise = sky.noise;
    const auto total = sheet.conditions().total_s;
    if (!noise.valid || !total)
        return sheet.absent(sky.plane->channel, q::faintLimit, "",
                            noise.valid ? phrase("the total integration is unknown") : phrase("fewer than 12 star-free boxes of 10 arcsec fit on the sky"));
    const double hour = std::sqrt(*total / 3600);
    sheet.add(sky.plane->channel, q::faintLimit, "", 5 * noise.value * hour, 5 * noise.sigma * hour, noise.flags());
}

} // namespace

void nebulaFigures(FigureSheet& sheet, const Trial& trial, const std::vector<Sky>& run, const std::vector<Sky>& baseline, bool isBaseline,
                   const RunConditions& base, double perArea) {
    for (const Sky& sky : run) faintLimit(sheet, sky);
    for (const Region& region : trial.regions) {
        if (region.role != RegionRole::Nebula) continue;
        const std::string spokesman = spokesmanOf(run, trial, region);
        for (const Sky& sky : run) {
            const std::string& channel = sky.plane->channel;
            const Signal s = signalOf(sky, trial, region);
            if (!s.valid) {
                noSignal(sheet, sky, region, isBaseline);
                continue;
            }
            RegionFigures figures(sheet, sky, region, s, channel == spokesman || run.size() == 1);
            figures.signalAndContrast();
            figures.signalToNoise();
            if (isBaseline) continue;
            const Sky* other = counterpart(baseline, channel, trial, region);
            const Beside beside{other ? signalOf(*other, trial, region) : Signal{}, other ? other->noise : BoxNoise{}, base, perArea};
            figures.timeRatio(beside);
            figures.throughput(beside);
        }
    }
}

} // namespace caelumen
