#include "core/compare/fairness.h"

#include "core/base/phrase.h"
#include "core/compare/evidence.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

using Words = std::vector<std::string>;
const Words kAbsolute{q::background, q::backgroundRatio, q::backgroundMag, q::nebulaContrast, q::timeRatio};
const Words kNebula{q::nebulaSignal, q::nebulaContrast, q::nebulaSnr, q::nebulaSnrHour, q::timeRatio, q::throughput};
const Words kHalo{q::haloRadius, q::haloDepth, q::haloFluxFraction};

Words operator+(Words a, const Words& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

struct Judge {
    const Trial& trial;
    const TrialResults& results;
    const RunConditions& base;
    std::vector<Unfairness> out;

    void say(const std::string& run, const char* subject, Grade grade, Words quantities, std::string text, bool normalised = false) {
        out.push_back({run, subject, grade, std::move(quantities), std::move(text), normalised});
    }

    void exposure(const RunConditions& c) {
        if (!c.sub_exposure_s || !base.sub_exposure_s) {
            if (!c.sub_exposure_s)
                say(c.run, "exposure", Grade::Voids, kAbsolute + kNebula, phrase("The sub exposure is unknown, so nothing can be put per second."));
            return;
        }
        const double ratio = *c.sub_exposure_s / *base.sub_exposure_s;
        if (std::abs(std::log(ratio)) > 0.02) {
            const bool far = ratio > 4 || ratio < 0.25;
            say(c.run, "exposure", far ? Grade::Weakens : Grade::Note, far ? kNebula + kHalo : kNebula,
                phrase("Subs of {:g} s against {:g} s: figures are per second, but read noise and saturation weigh differently.", *c.sub_exposure_s,
                       *base.sub_exposure_s),
                true);
        }
        if (!c.sub_count || !base.sub_count)
            say(c.run, "sub_count", Grade::Weakens, {q::nebulaSnrHour, q::timeRatio, q::faintLimit},
                phrase("The number of subs in {} stack is unknown and was taken as one: figures per hour depend on it.",
                       c.sub_count ? phrase("the baseline's") : "this"));
        if (c.sub_count && base.sub_count && *c.sub_count != *base.sub_count) {
            const double total = *c.total_s / *base.total_s;
            const bool far = total > 3 || total < 1 / 3.0;
            say(c.run, "sub_count", far ? Grade::Weakens : Grade::Note, {q::nebulaSnr, q::haloDepth, q::starCount},
                phrase("{} subs against {} ({:.0f} min against {:.0f} min): SNR per hour and the time ratio allow for it; star counts and halo limits do not.",
                       *c.sub_count, *base.sub_count, *c.total_s / 60, *base.total_s / 60),
                true);
        }
    }

    void camera(const RunConditions& c) {
        if (!c.camera.empty() && !base.camera.empty() && c.camera != base.camera)
            say(c.run, "camera", Grade::Weakens, kAbsolute + kNebula + Words{q::colourSlope, q::colourCast},
                phrase("Another camera: {} against {}.", c.camera, base.camera));
        if (std::abs(c.gain_e_per_adu / base.gain_e_per_adu - 1) > 0.02)
            say(c.run, "gain", Grade::Note, {q::nebulaSnr, q::boxNoise},
                phrase("Gain {:.3g} against {:.3g} e-/ADU: levels are in electrons, but read noise and full well differ.", c.gain_e_per_adu,
                       base.gain_e_per_adu),
                true);
        else if (c.gain_setting && base.gain_setting && *c.gain_setting != *base.gain_setting)
            say(c.run, "gain", Grade::Weakens, kAbsolute + kNebula,
                phrase("Gain setting {:g} against {:g} with one e-/ADU for both: one of them is wrong.", *c.gain_setting, *base.gain_setting));
        if (c.gainAssumed)
            say(c.run, "gain", Grade::Weakens, {q::background, q::nebulaSignal},
                phrase("The gain is unknown; one electron per ADU was assumed, so rates are relative."));
        if (c.offset_setting && base.offset_setting && *c.offset_setting != *base.offset_setting)
            say(c.run, "offset", Grade::Note, {q::background}, phrase("Offset setting {:g} against {:g}.", *c.offset_setting, *base.offset_setting), true);
        if (c.sensor_temperature_c && base.sensor_temperature_c && std::abs(*c.sensor_temperature_c - *base.sensor_temperature_c) > 1.5)
            say(c.run, "temperature", std::abs(*c.sensor_temperature_c - *base.sensor_temperature_c) > 6 ? Grade::Weakens : Grade::Note,
                {q::boxNoise, q::nebulaSnr, q::timeRatio},
                phrase("Sensor at {:.0f} C against {:.0f} C: dark current and its noise differ.", *c.sensor_temperature_c, *base.sensor_temperature_c));
        if (c.scale_arcsec && base.scale_arcsec && std::abs(*c.scale_arcsec / *base.scale_arcsec - 1) > 0.02)
            say(c.run, "optics", Grade::Weakens, kAbsolute + kHalo,
                phrase("{:.2f} against {:.2f} arcsec per pixel: other optics; ratios are per square arcsecond.", *c.scale_arcsec, *base.scale_arcsec), true);
        if (c.combine != base.combine)
            say(c.run, "stacking", Grade::Note, {q::boxNoise, q::nebulaSnr, q::timeRatio},
                phrase("Stacked by {} against {}: a median is about a quarter noisier than a mean.", c.combine, base.combine));
        for (const std::string& text : c.conflicts)
            say(c.run, "calibration", Grade::Note, {q::background}, phrase("Header and trial disagree on {}; the trial was used.", text));
        const bool unknown = std::find(c.flags.begin(), c.flags.end(), flag::pedestalUnknown) != c.flags.end();
        if (unknown)
            say(c.run, "offset", Grade::Voids, kAbsolute,
                phrase("The pedestal is unknown, so there is no absolute background: only differences are measured."));
    }

    void sky(const RunConditions& c) {
        if (c.start.size() >= 10 && base.start.size() >= 10) {
            const auto a = parseTime(c.start), b = parseTime(base.start);
            if (a && b) {
                const double hours = std::abs((a->day - b->day + a->fraction - b->fraction) * 24);
                if (hours > 14)
                    say(c.run, "night", Grade::Weakens, kAbsolute + kNebula,
                        phrase("Another night ({} against {}): air, sky glow and seeing may have differed.", c.start.substr(0, 10), base.start.substr(0, 10)));
            }
        } else {
            say(c.run, "night", Grade::Note, kAbsolute, phrase("The time of one run is unknown, so moon and altitude cannot be compared."));
        }
        if (!c.sky || !base.sky) return;
        const SkyMoment &s = *c.sky, &b = *base.sky;
        const bool up = s.moon.alt_deg > 0, wasUp = b.moon.alt_deg > 0;
        if (up != wasUp && std::max(s.moonIlluminated, b.moonIlluminated) > 0.1)
            say(c.run, "moon", Grade::Weakens, kAbsolute,
                phrase("The moon ({:.0f} % lit) was {} during this run and {} during the baseline.", 100 * s.moonIlluminated,
                       up ? phrase("up") : phrase("down"), wasUp ? phrase("up") : phrase("down")));
        else if (up && std::abs(s.moonIlluminated - b.moonIlluminated) > 0.1)
            say(c.run, "moon", Grade::Weakens, kAbsolute, phrase("Moon {:.0f} % lit against {:.0f} %.", 100 * s.moonIlluminated, 100 * b.moonIlluminated));
        else if (up && std::abs(s.moon.alt_deg - b.moon.alt_deg) > 10)
            say(c.run, "moon", std::abs(s.moon.alt_deg - b.moon.alt_deg) > 25 && s.moonIlluminated > 0.2 ? Grade::Weakens : Grade::Note, kAbsolute,
                phrase("The moon stood {:.0f} degrees high against {:.0f}.", s.moon.alt_deg, b.moon.alt_deg));
        if (s.target && b.target) {
            const double x = s.airmass.value_or(40), y = b.airmass.value_or(40);
            if (std::abs(x - y) > 0.08)
                say(c.run, "altitude", std::abs(x - y) > 0.35 ? Grade::Weakens : Grade::Note, kAbsolute + kNebula,
                    phrase("The target stood {:.0f} degrees high against {:.0f}: {}.", s.target->alt_deg, b.target->alt_deg,
                           x > y ? phrase("more air dims it and brightens the sky") : phrase("less air dims it, and the sky is darker")));
            if (s.target->alt_deg < 25)
                say(c.run, "altitude", Grade::Weakens, kAbsolute + kNebula, phrase("The target stood only {:.0f} degrees high.", s.target->alt_deg));
        }
        if (s.twilight != "night" && s.twilight != b.twilight) say(c.run, "night", Grade::Weakens, kAbsolute, phrase("Taken in {} twilight.", s.twilight));
    }

    /// What only the frames and the filter tell: bits, sky coordinates, near infrared.
    void frame(const RunConditions& c) {
        if (c.bits == 8)
            say(c.run, "calibration", Grade::Weakens, kAbsolute + kNebula + kHalo, phrase("The frame has 8 bits: faint differences lie between its steps."));
        if (std::any_of(results.alignment.begin(), results.alignment.end(), [&](const RunAlignment& a) { return a.run == c.run && a.alignment.matched == 0; }))
            say(c.run, "calibration", Grade::Weakens, kNebula + kHalo + Words{q::background, q::backgroundRatio},
                phrase("Its stars could not be matched with the baseline's; the sky coordinates in the headers were used instead, as far as they are right."));
        if (c.wcsOffset_px && *c.wcsOffset_px > 4)
            say(c.run, "calibration", Grade::Note, {},
                phrase("The header's sky coordinates lie {:.0f} pixels from where the stars are; the stars were used.", *c.wcsOffset_px), true);
        const double infrared = c.nearInfrared.value_or(0), before = base.nearInfrared.value_or(0);
        if (infrared > 0.2 && infrared > 2 * before)
            say(c.run, "camera", Grade::Note, kHalo + Words{q::softness, q::starFwhm, q::colourSlope, q::colourScatter},
                phrase("The filter passes {:.0f} % of the near infrared: behind a clear window (or in a modified camera) that light is not in focus and "
                       "makes soft halos, which are not reflections.",
                       100 * infrared));
    }

    /// How clear the air was in both runs, where their subs were judged on one scale of the night.
    void air(const RunConditions& c) {
        const auto a = parseTime(c.start), b = parseTime(base.start);
        if (!c.night_transparency || !base.night_transparency || !a || !b || std::abs(a->day - b->day + a->fraction - b->fraction) * 24 > 14) return;
        const double ratio = *c.night_transparency / *base.night_transparency;
        const double sigma = ratio * std::hypot(c.night_transparency_sigma.value_or(0) / *c.night_transparency,
                                                base.night_transparency_sigma.value_or(0) / *base.night_transparency);
        if (std::abs(ratio - 1) <= std::max(0.03, 2 * sigma)) return;
        say(c.run, "transparency",
            std::abs(ratio - 1) > 0.15   ? Grade::Voids
            : std::abs(ratio - 1) > 0.05 ? Grade::Weakens
                                         : Grade::Note,
            kAbsolute + kNebula + Words{q::starThroughput},
            phrase(
                "The air let {:.0f} % {} starlight through during this run than during the baseline (stars before and after each swap of filters, +-{:.0f} %).",
                100 * std::abs(ratio - 1), ratio > 1 ? phrase("more") : phrase("less"), 100 * sigma));
    }

    /// Whether the same filter let through as much starlight at another time.
    void transparency(const RunConditions& c) {
        const Run *own = trial.run(c.run), *other = nullptr;
        for (const Run& r : trial.runs)
            if (own && r.id != c.run && r.filter == own->filter && (r.id == base.run || &r < own)) other = &r;
        if (!other) return;
        const auto throughput = [&](const std::string& run) { return run == base.run ? nullptr : results.headline(run, q::starThroughput); };
        const Measurement *mine = throughput(own->id), *theirs = throughput(other->id);
        if (!mine || (!theirs && other->id != base.run)) return;
        const double ratio = mine->value / (theirs ? theirs->value : 1), sigma = mine->sigma + (theirs ? theirs->sigma : 0);
        if (std::abs(ratio - 1) > std::max(0.04, 3 * sigma))
            say(c.run, "transparency", std::abs(ratio - 1) > 0.15 ? Grade::Voids : Grade::Weakens, kAbsolute + kNebula + Words{q::starThroughput},
                phrase("Stars are {:.0f} % {} than in run {} through the same filter: the air's transparency changed.", 100 * std::abs(ratio - 1),
                       ratio > 1 ? phrase("brighter") : phrase("fainter"), other->id));
    }

    void focus(const RunConditions& c) {
        for (const Measurement& m : results.measurements) {
            if (m.run != c.run || m.quantity != q::softness || (m.channel != "G" && m.channel != "L")) continue;
            if (std::abs(m.value - 1) > std::max(0.1, 3 * m.sigma))
                say(c.run, "focus", std::abs(m.value - 1) > 0.3 ? Grade::Weakens : Grade::Note, {q::starCount, q::haloDepth, q::colourScatter},
                    phrase("Stars are {:.0f} % {} than in the baseline: focus or seeing differed.", 100 * std::abs(m.value - 1),
                           m.value > 1 ? phrase("wider") : phrase("tighter")));
        }
    }

    /// What a star image holds beyond 3 FWHM of the baseline's, where seeing has little left to say and optics are the same, more than the baseline's: parts of
    /// the star's light.
    struct WingExcess {
        double near = 0, far = 0;
        double range = 4; ///< outer over inner radius
        double total() const { return near + far; }
        /// Haze throws light farther than bad seeing or focus can, whose wings fall faster than the area grows.
        bool spreads() const { return far > near * std::pow(range, -0.117); } ///< 0.85 where wings are seen over four times the radius
    };

    static std::optional<WingExcess> wingExcess(const PlaneHarvest& p, const PlaneHarvest& other, const RunEvidence& e) {
        if (!p.stars.psf || !other.stars.psf || p.stars.psf->stars < 8 || other.stars.psf->stars < 8) return std::nullopt;
        const Psf &own = *p.stars.psf, &theirs = *other.stars.psf;
        const double widening = own.fwhm / theirs.fwhm, from = 3 * theirs.fwhm;
        const double to = std::min({12 * theirs.fwhm, own.reach() / widening, theirs.reach()});
        if (to < from + 1) return std::nullopt;
        // A halo found by its edge is the filter's own light.
        const HaloExcess* halo = nullptr;
        for (const auto& [place, profile] : e.halos)
            if (!halo && place.ends_with("/" + p.channel) && !profile.rings.empty()) halo = &profile;
        WingExcess out;
        out.range = to / from;
        const double middle = std::sqrt(from * to), pitch = p.view.geometry.pitch;
        for (double r = from; r <= to; r += 0.5) {
            double more = own.lightAt(r * widening) * widening * widening - theirs.lightAt(r);
            if (halo)
                for (const HaloRing& ring : halo->rings)
                    if (r * pitch >= ring.inner && r * pitch < ring.radius) more -= ring.plateau * pitch * pitch;
            (r < middle ? out.near : out.far) += 2 * M_PI * r * 0.5 * more;
        }
        return out;
    }

    /// Haze spreads every star's light in a smooth wing and dims the stars; a filter's halo has an edge and leaves other light alone.
    void haze(const RunConditions& c) {
        const RunEvidence *e = nullptr, *b = nullptr;
        for (const RunEvidence& r : *results.evidence) {
            if (r.run == c.run) e = &r;
            if (r.run == base.run) b = &r;
        }
        if (!e || !b) return;
        WingExcess worst;
        for (const PlaneHarvest& p : e->planes) {
            const auto other = std::find_if(b->planes.begin(), b->planes.end(), [&](const PlaneHarvest& q) { return q.channel == p.channel; });
            if (other == b->planes.end()) continue;
            const auto excess = wingExcess(p, *other, *e);
            if (excess && excess->total() > worst.total()) worst = *excess;
        }
        const bool ring = std::any_of(e->halos.begin(), e->halos.end(), [](const auto& h) { return !h.second.rings.empty(); });
        // From virtual nights (scripts/haze.py): clear ones stay below 0.001 and other seeing spreads less; a fifth of the starlight in fog reads 0.005 to
        // 0.009.
        const double weakens = worst.spreads() ? 0.002 : 0.012, voids = worst.spreads() ? 0.006 : 0.02;
        if (worst.total() > weakens)
            say(c.run, "haze", worst.total() > voids ? Grade::Voids : Grade::Weakens, kHalo + kNebula + Words{q::background, q::backgroundRatio},
                phrase("Star wings hold {:.1f} % more of the light than in the baseline{}: haze or fog, not the filter.", 100 * worst.total(),
                       ring ? phrase(" (besides the halo)") : phrase(", without an edge")));
    }
};

} // namespace

std::vector<Unfairness> judgeFairness(const Trial& trial, const TrialResults& results) {
    const RunConditions* base = results.conditionsOf(results.baseline);
    if (!base) return {};
    Judge judge{trial, results, *base, {}};
    for (const RunConditions& c : results.conditions) {
        if (c.run == results.baseline) {
            const bool unknown = std::find(c.flags.begin(), c.flags.end(), flag::pedestalUnknown) != c.flags.end();
            if (unknown) judge.say(c.run, "offset", Grade::Voids, kAbsolute, phrase("The baseline's pedestal is unknown, so no background can be compared."));
            continue;
        }
        judge.exposure(c);
        judge.camera(c);
        judge.sky(c);
        judge.frame(c);
        judge.air(c);
        judge.transparency(c);
        judge.focus(c);
        judge.haze(c);
    }
    std::stable_sort(judge.out.begin(), judge.out.end(),
                     [](const Unfairness& a, const Unfairness& b) { return static_cast<int>(a.grade) > static_cast<int>(b.grade); });
    return judge.out;
}

} // namespace caelumen
