#include "core/plan/forecast.h"

#include "core/model/facts.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Photons s^-1 cm^-2 arcsec^-2 of one rayleigh.
const double kRayleigh = 1e6 / (4 * M_PI) * std::pow(M_PI / 180 / 3600, 2);

double collecting(const PlanRig& r) { return M_PI / 4 * r.aperture_mm * r.aperture_mm / 100 * (1 - r.obstruction * r.obstruction); }

double signalIn(const SystemChannel& c, const PlanRig& rig, const DeepSky& target) {
    const double grasp = collecting(rig) * rig.scale_arcsec() * rig.scale_arcsec();
    double sum = 0;
    for (const auto& [line, strength] : {std::pair{EmissionLine::Halpha, target.hydrogen}, {EmissionLine::OIII, target.oxygen}, {EmissionLine::SII, target.sulphur}}) {
        const auto part = c.lines.find(line);
        if (part != c.lines.end()) sum += grasp * kRayleigh * lineBrightness(strength) * part->second;
    }
    if (const auto sunlight = c.rate.find("moonlight"); target.continuum > 0 && sunlight != c.rate.end())
        sum += skyElectrons(sunlight->second, continuumBrightness(target.continuum), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
    return sum;
}

} // namespace

PlanRig planRig(const Rig& rig, const Camera& camera) {
    PlanRig out;
    const Facts known = resolveFacts(rig, {}, nullptr, &camera);
    const auto take = [&](const char* what, const char* id, double& to) {
        const Fact* fact = known.of(id);
        if (fact) to = fact->value;
        if (!fact || fact->source == FactSource::Camera) out.assumed.emplace_back(what);
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

double lineBrightness(int strength) { return strength <= 0 ? 0 : strength == 1 ? 10 : strength == 2 ? 50 : 250; }
double continuumBrightness(int strength) { return strength <= 1 ? 24.5 : strength == 2 ? 23 : 21.5; }

std::optional<double> backgroundAt(const SystemChannel& channel, const PlanRig& rig, const Site& site, const SkyMoment& moment) {
    const auto light = skyLight(site, moment);
    if (!light) return std::nullopt;
    return backgroundRate(*light, channel, site.lamps.value_or(LampMix{}), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
}

std::vector<Forecast> forecast(const Plan& plan, const std::vector<PlanFilter>& filters, const PlanRig& rig, const Site& site, const DeepSky& target, const NightTrack& track) {
    std::vector<Forecast> out;
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
    struct PerSub {
        double snr = 0;       ///< of one sub, against the sky's noise
        double certainty = 0; ///< its signal over the signal's error, with the target's own noise and that of the sky measured beside it
        int subs = 0;
        double exposure_s = 0;
    };
    std::map<std::string, PerSub> baseline; // by channel
    for (const std::string& id : plan.filters) {
        const auto f = std::find_if(filters.begin(), filters.end(), [&](const PlanFilter& x) { return x.id == id; });
        if (f == filters.end()) continue;
        int subs = 0;
        double exposure = plan.exposure_s;
        for (const PlanBlock& b : plan.blocks)
            if (b.filter == id) subs += b.subs, exposure = b.exposure_s;
        const SkyLight sky = light(id);
        if (sky.total() <= 0) continue; // its blocks lie while the target is down
        Forecast best{id, {}};
        PerSub chosen;
        for (const SystemChannel& c : f->channels) {
            const double b = backgroundRate(sky, c, site.lamps.value_or(LampMix{}), rig.aperture_mm, rig.obstruction, rig.scale_arcsec()), s = signalIn(c, rig, target);
            const double read = rig.readNoise_e * rig.readNoise_e, gathered = s * exposure * std::sqrt(kRegion);
            const PerSub one{gathered / std::sqrt(b * exposure + read), gathered / std::sqrt((s + 2 * b) * exposure + 2 * read), subs, exposure};
            if (id == plan.filters.front()) baseline[c.name] = one;
            if (one.snr <= chosen.snr) continue;
            chosen = one;
            best.channel = c.name;
            best.background = b;
            best.signal = s;
            best.contrast = b > 0 ? s / b : 0;
        }
        best.snr = chosen.snr * std::sqrt(subs);
        if (const auto base = baseline.find(best.channel); base != baseline.end() && base->second.snr > 0 && chosen.snr > 0) {
            best.timeRatio = std::pow(chosen.snr / base->second.snr, 2) * base->second.exposure_s / chosen.exposure_s; // for equal time, whatever the lengths
            // The ratio goes with the square of both signals.
            const double a = chosen.certainty, n = base->second.certainty;
            const auto part = [&](double mine, double others) { return 2 * std::sqrt((mine > 0 ? 1 / (a * a * mine) : 1) + (others > 0 ? 1 / (n * n * others) : 1)); };
            best.timeRatioSigma = best.timeRatio * part(subs, base->second.subs);
            const double apart = std::abs(std::log(best.timeRatio));
            if (id != plan.filters.front() && apart > 0.01) best.subs_for_tie = std::ceil(std::pow(1.96 * 2 / apart, 2) * (1 / (a * a) + 1 / (n * n)));
        }
        out.push_back(best);
    }
    return out;
}

double noiseAdded(double background, double readNoise_e, double exposure_s) { return std::sqrt(1 + readNoise_e * readNoise_e / std::max(1e-12, background * exposure_s)) - 1; }

SubLength subLength(const PlanFilter& filter, const PlanRig& rig, const Site& site, const SkyMoment& moment, double starMagnitude, double fwhm_px) {
    SubLength out;
    out.filter = filter.id;
    double brightest = 0, star = 0;
    for (const SystemChannel& c : filter.channels) {
        const auto b = backgroundAt(c, rig, site, moment);
        if (!b || *b <= 0) continue;
        if (out.channel.empty() || *b < out.background) out.channel = c.name, out.background = *b;
        brightest = std::max(brightest, *b);
        if (const auto rate = c.rate.find("moonlight"); rate != c.rate.end()) star = std::max(star, rate->second * collecting(rig) * std::pow(10, -0.4 * starMagnitude));
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
