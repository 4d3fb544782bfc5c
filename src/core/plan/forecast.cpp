#include "core/plan/forecast.h"

#include "core/base/phrase.h"
#include "core/model/facts.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kCertain = 1.96; ///< sigmas of 95 %

double collecting(const PlanRig& r) {
    return M_PI / 4 * r.aperture_mm * r.aperture_mm / 100 * (1 - r.obstruction * r.obstruction);
}

double signalIn(const SystemChannel& c, const PlanRig& rig, const DeepSky& target) {
    const double grasp = collecting(rig) * rig.scale_arcsec() * rig.scale_arcsec();
    double sum = 0;
    for (const auto& [line, strength] :
         {std::pair{EmissionLine::Halpha, target.hydrogen}, {EmissionLine::OIII, target.oxygen}, {EmissionLine::SII, target.sulphur}}) {
        const auto part = c.lines.find(line);
        if (part != c.lines.end()) sum += grasp * kRayleigh * lineBrightness(strength) * part->second;
    }
    if (const auto sunlight = c.rate.find("moonlight"); target.continuum > 0 && sunlight != c.rate.end())
        sum += skyElectrons(sunlight->second, continuumBrightness(target.continuum), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
    return sum;
}

constexpr double kSeeing_arcsec = 3; ///< of stars in a stack

/// One filter in one channel.
struct Look {
    std::string channel;
    RunRates rates;
    double exposure_s = 0;
    int subs = 0;

    /// Square of the signal to noise of a second.
    double speed() const {
        const double noise = rates.background + rates.readNoise_e * rates.readNoise_e / exposure_s;
        return exposure_s > 0 && noise > 0 ? rates.signal * rates.signal / noise : 0;
    }
};

/// How well the speeds of two are told apart.
struct Told {
    double sigma = 0;           ///< of their ratio, as a part
    std::optional<double> subs; ///< of each that would do
};

/// `apart`: logarithm of the ratio, where it is not that of these channels.
Told tell(const Look& a, const Look& b, const ProofGround& ground, std::optional<double> apart = {}) {
    const auto each = [&](double subsA, double subsB) {
        const double hidden = std::max(faintestFound(a.rates, a.exposure_s, subsA), faintestFound(b.rates, b.exposure_s, subsB));
        return std::pair{foretellRun(a.rates, a.exposure_s, subsA, ground, hidden), foretellRun(b.rates, b.exposure_s, subsB, ground, hidden)};
    };
    const auto sigma = [&](double subsA, double subsB) {
        const auto [x, y] = each(subsA, subsB);
        return ratioSigma(x, y);
    };
    Told out{sigma(std::max(a.subs, 1), std::max(b.subs, 1)), {}};
    const double difference = std::abs(apart.value_or(std::log(a.speed() / b.speed())));
    const auto enough = [&](double n) {
        const auto [x, y] = each(n, n);
        return kCertain * sigma(n, n) <= difference && x.signalSigma * kSeen <= a.rates.signal && y.signalSigma * kSeen <= b.rates.signal;
    };
    constexpr double kMost = 100'000;
    double low = 0, high = 1;
    for (; !enough(high); low = high, high *= 2)
        if (high > kMost) return out; // what is no photons stays
    while (high - low > 1) {
        const double middle = std::floor(0.5 * (low + high));
        (enough(middle) ? high : low) = middle;
    }
    out.subs = high;
    return out;
}

} // namespace

PlanRig planRig(const Rig& rig, const Camera& camera) {
    PlanRig out;
    const Facts known = resolveFacts(rig, {}, nullptr, &camera);
    const auto take = [&](const char* what, const char* id, double& to) {
        const Fact* fact = known.of(id);
        if (fact) to = fact->value;
        if (!fact || fact->source == FactSource::Camera) out.assumed.push_back(wordOf(what));
    };
    take("aperture", "aperture_mm", out.aperture_mm);
    take("focal length", "focal_length_mm", out.focal_mm);
    take("pixel", "pixel_um", out.pixel_um);
    take("read noise", "read_noise_e", out.readNoise_e);
    take("gain", "gain_e_per_adu", out.e_per_adu);
    take("full well", "full_well_e", out.fullWell_e);
    out.obstruction = known.rig.obstruction.value_or(0);
    out.fullScale_adu = known.rig.full_scale_adu.value_or(65'535);
    out.pedestal_adu = known.rig.pedestal_adu.value_or(0);
    return out;
}

double lineBrightness(int strength) {
    return strength <= 0 ? 0 : strength == 1 ? 5 : strength == 2 ? 25 : 100;
}
double continuumBrightness(int strength) {
    return strength <= 1 ? 25.5 : strength == 2 ? 24 : 22.5;
}

std::optional<double> backgroundAt(const SystemChannel& channel, const PlanRig& rig, const Site& site, const SkyMoment& moment) {
    const auto light = skyLight(site, moment);
    if (!light) return std::nullopt;
    return backgroundRate(*light, channel, site.lamps.value_or(LampMix{}), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
}

Forecasts forecast(const Plan& plan, const std::vector<PlanFilter>& filters, const PlanRig& rig, const Site& site, const DeepSky& target,
                   const NightTrack& track, std::optional<ProofGround> ground) {
    Forecasts out;
    if (!ground) {
        ground.emplace();
        ground->starsTo15 = starsTo15(target.ra_deg, target.dec_deg);
    }
    out.ground = *ground;
    if (!skyBrightness(site) || plan.blocks.empty()) return out;
    // The sky of a filter's blocks, from a dozen moments of each.
    const auto light = [&](const std::string& filter) {
        SkyLight sum;
        double weight = 0;
        for (const PlanBlock& b : plan.blocks) {
            if (b.filter != filter) continue;
            for (int k = 0; k < 6; ++k) {
                const auto l = skyLight(site, track.at(b.start_s + blockLength(plan, b) * (k + 0.5) / 6));
                if (!l) continue;
                const double w = b.subs;
                weight += w, sum.natural += w * l->natural, sum.lamps += w * l->lamps, sum.moon += w * l->moon;
            }
        }
        if (weight > 0) sum.natural /= weight, sum.lamps /= weight, sum.moon /= weight;
        return sum;
    };
    const double fwhm_px = std::max(1.8, kSeeing_arcsec / rig.scale_arcsec());
    std::map<std::string, Look> baseline; // by channel
    std::vector<Look> chosen;             // of each filter, its best channel
    for (const std::string& id : plan.filters) {
        const auto f = std::find_if(filters.begin(), filters.end(), [&](const PlanFilter& x) { return x.id == id; });
        if (f == filters.end()) continue;
        int subs = 0;
        double exposure = plan.exposure_s;
        for (const PlanBlock& b : plan.blocks)
            if (b.filter == id) subs += b.subs, exposure = b.exposure_s;
        const SkyLight sky = light(id);
        if (sky.total() <= 0) continue; // its blocks lie while the target is down
        Look best;
        for (const SystemChannel& c : f->channels) {
            Look look{c.name, {}, exposure, subs};
            look.rates.background = backgroundRate(sky, c, site.lamps.value_or(LampMix{}), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
            look.rates.signal = signalIn(c, rig, target);
            look.rates.readNoise_e = rig.readNoise_e;
            look.rates.scale_arcsec = rig.scale_arcsec();
            look.rates.fwhm_px = fwhm_px;
            if (const auto sunlight = c.rate.find("moonlight"); sunlight != c.rate.end()) look.rates.starRate = sunlight->second * collecting(rig);
            if (id == plan.filters.front()) baseline[c.name] = look;
            if (best.channel.empty() || look.speed() > best.speed()) best = look;
        }
        if (best.channel.empty() || best.rates.signal <= 0) continue;
        Forecast told;
        told.filter = id;
        told.claimed = f->claimed;
        told.channel = best.channel;
        told.background = best.rates.background;
        told.signal = best.rates.signal;
        told.contrast = told.background > 0 ? told.signal / told.background : 0;
        if (const auto base = baseline.find(best.channel); base != baseline.end() && base->second.speed() > 0) {
            told.timeRatio = best.speed() / base->second.speed(); // for equal time, whatever the lengths
            const Told t = tell(best, base->second, *ground);
            told.timeRatioSigma = told.timeRatio * t.sigma;
            if (id != plan.filters.front()) told.subsToTell = t.subs;
        }
        out.filters.push_back(told);
        chosen.push_back(best);
    }
    double hidden = -1e9; // what any of them finds is hidden in all
    for (const Look& l : chosen) hidden = std::max(hidden, faintestFound(l.rates, l.exposure_s, std::max(l.subs, 1)));
    for (std::size_t i = 0; i < chosen.size(); ++i) {
        const ForetoldRun run = foretellRun(chosen[i].rates, chosen[i].exposure_s, chosen[i].subs, *ground, hidden);
        out.filters[i].signalSigma = run.signalSigma;
        out.filters[i].snr = run.snr * std::sqrt(ground->nebula_px);
    }
    // Filters side by side: the baseline's own error is no part of what sets them apart.
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < out.filters.size(); ++i)
        if (out.filters[i].filter != plan.filters.front() && out.filters[i].timeRatio > 0) order.push_back(i);
    std::stable_sort(order.begin(), order.end(), [&](std::size_t x, std::size_t y) { return out.filters[x].timeRatio > out.filters[y].timeRatio; });
    for (std::size_t k = 1; k < order.size(); ++k) {
        const Forecast &fast = out.filters[order[k - 1]], &slow = out.filters[order[k]];
        const Told t = tell(chosen[order[k - 1]], chosen[order[k]], *ground, std::log(fast.timeRatio / slow.timeRatio));
        out.pairs.push_back({fast.filter, slow.filter, fast.timeRatio / slow.timeRatio, fast.timeRatio / slow.timeRatio * t.sigma, t.subs});
    }
    return out;
}

std::optional<ProofGround> groundOf(const Trial& trial, const DeepSky& target, double scale_arcsec) {
    double nebulae = 0, count = 0, sky = 0;
    for (const Region& r : trial.regions) {
        if (r.role == RegionRole::Nebula) nebulae += r.area(), count += 1;
        if (r.role == RegionRole::Sky) sky += r.area();
    }
    if (!(nebulae > 0) || !(sky > 0)) return std::nullopt;
    constexpr double kFree = 0.8, kOverlap = 1.25; // of stars; boxes are laid at half steps
    ProofGround g;
    g.nebula_px = nebulae / count;
    g.sky_px = kFree * sky;
    g.boxes = std::max(12.0, kOverlap * g.sky_px * scale_arcsec * scale_arcsec / 100);
    g.starsTo15 = starsTo15(target.ra_deg, target.dec_deg);
    return g;
}

double noiseAdded(double background, double readNoise_e, double exposure_s) {
    return std::sqrt(1 + readNoise_e * readNoise_e / std::max(1e-12, background * exposure_s)) - 1;
}

SubLength subLength(const PlanFilter& filter, const PlanRig& rig, const Site& site, const SkyMoment& moment, double starMagnitude, double fwhm_px) {
    SubLength out;
    out.filter = filter.id;
    double brightest = 0, star = 0;
    for (const SystemChannel& c : filter.channels) {
        const auto b = backgroundAt(c, rig, site, moment);
        if (!b || *b <= 0) continue;
        if (out.channel.empty() || *b < out.background) out.channel = c.name, out.background = *b;
        brightest = std::max(brightest, *b);
        if (const auto rate = c.rate.find("moonlight"); rate != c.rate.end())
            star = std::max(star, rate->second * collecting(rig) * std::pow(10, -0.4 * starMagnitude));
    }
    if (out.background <= 0) return out;
    out.skyLimited_s = 10 * rig.readNoise_e * rig.readNoise_e / out.background;
    const double scale = (rig.fullScale_adu - rig.pedestal_adu) * rig.e_per_adu;
    out.histogramLow_s = 0.25 * scale / brightest;
    out.histogramHigh_s = 0.40 * scale / brightest;
    const double peak = star * 4 * std::log(2) / (M_PI * fwhm_px * fwhm_px); // middle pixel of a Gaussian star
    if (peak > 0) out.starLimit_s = rig.fullWell_e / (peak + brightest);
    return out;
}

} // namespace caelumen
