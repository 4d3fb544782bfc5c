#include "core/grid/grid.h"

#include "core/base/phrase.h"
#include "core/model/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kSameMoonLit = 0.15, kSameMoonAltitude = 25, kSameMoonSeparation = 25, kSameReading = 0.3;
constexpr double kLargestStep = 0.35; ///< in logarithms: beyond it a run's sky is not that of the cell, whatever its class
constexpr double kWithinClass = 0.15; ///< what a filter without a curve may change within a class
constexpr double kPasses = 0.01;      ///< of a kind's light: with less there is nothing to compare

bool sameSky(const GridSky& a, const GridSky& b) {
    if (a.bortle && b.bortle ? *a.bortle != *b.bortle : std::abs(a.zenith_mag - b.zenith_mag) > kSameReading) return false;
    if (!a.moon || !b.moon) return !a.moon && !b.moon;
    return std::abs(a.moon->illuminated - b.moon->illuminated) <= kSameMoonLit && std::abs(a.moon->altitude_deg - b.moon->altitude_deg) <= kSameMoonAltitude &&
           std::abs(a.moon->separation_deg - b.moon->separation_deg) <= kSameMoonSeparation;
}

/// A moon that brightens nothing is no moon: a thin or setting one.
GridSky seen(GridSky sky) {
    if (sky.moon) {
        const SkyLight light = lightOf(sky);
        if (light.moon < 0.03 * (light.natural + light.lamps)) sky.moon.reset();
    }
    return sky;
}

/// An estimate and where it comes from.
struct Estimate {
    CellOrigin origin = CellOrigin::Empty;
    double value = 0, sigma = 0, model = 0; ///< in logarithms, or in magnitudes
    std::vector<std::size_t> runs;
    std::string reason;
    double whole() const { return std::hypot(sigma, model); }
};

/// The better of two ways to know something: measured before scaled, else the surer one. Runs in one cell are averaged.
class Best {
public:
    void take(const Estimate& e) {
        if (e.origin == CellOrigin::Measured) {
            const double w = 1 / std::max(1e-12, e.whole() * e.whole());
            m_weight += w, m_value += w * e.value, m_model = std::max(m_model, e.model);
            m_runs.push_back(e.runs.front());
        } else if (m_best.origin == CellOrigin::Empty || e.whole() < m_best.whole()) {
            m_best = e;
        }
    }
    Estimate result() const {
        if (m_weight <= 0) return m_best;
        Estimate out;
        out.origin = CellOrigin::Measured;
        out.value = m_value / m_weight;
        out.model = m_model;
        out.sigma = std::sqrt(std::max(0.0, 1 / m_weight - m_model * m_model));
        out.runs = m_runs;
        return out;
    }

private:
    double m_weight = 0, m_value = 0, m_model = 0;
    std::vector<std::size_t> m_runs;
    Estimate m_best;
};

const GridChannel* brightest(const GridFilter& f, TargetKind kind) {
    const GridChannel* best = nullptr;
    for (const GridChannel& c : f.channels)
        if (!best || c.signal[static_cast<std::size_t>(kind)] > best->signal[static_cast<std::size_t>(kind)]) best = &c;
    return best;
}

double exposureOf(const GridModel& model, const std::string& filter) {
    for (const GridRun& r : model.input().runs)
        if (r.filter == filter) return r.exposure_s;
    for (const GridRun& r : model.input().runs)
        if (r.baseline) return r.exposure_s;
    return 180;
}

/// What is known about one filter under one sky.
class CellMaker {
public:
    CellMaker(const GridModel& model, const GridQuestion& question, const GridFilter& filter, const GridSky& sky)
        : m_model(model)
        , m_question(question)
        , m_filter(filter)
        , m_sky(sky)
        , m_baseline(model.input().filter(model.input().baseline)) {}

    GridCell make() {
        m_cell.filter = m_filter.id;
        m_cell.sky = m_sky;
        chooseChannel();
        for (const GridChannel& c : m_filter.channels) {
            const Estimate b = background(c.name);
            if (b.origin != CellOrigin::Empty) m_cell.background[c.name] = std::exp(b.value);
        }
        if (m_filter.channels.empty()) // measured without a curve
            for (const GridRun& r : m_model.input().runs)
                if (r.filter == m_filter.id && r.sky && !r.backgroundVoid && sameSky(seen(*r.sky), seen(m_sky)))
                    for (const auto& [name, figure] : r.background) m_cell.background[name] = figure.value;
        switch (m_question.quantity) {
        case GridQuantity::TimeRatio:
            fill(timeRatio(), true);
            break;
        case GridQuantity::Background:
            fill(background(m_cell.channel), true);
            break;
        case GridQuantity::Contrast:
            fill(fromSignal(background(m_cell.channel), -1, [](double signal, double) { return signal; }), true);
            break;
        case GridQuantity::Hours:
            fill(hours(), true);
            break;
        case GridQuantity::SubLength:
            fill(subLength(), true);
            break;
        case GridQuantity::HaloCleanMag:
            fill(haloClean(), false);
            break;
        }
        for (const GridRun& r : m_model.input().runs)
            if (r.filter == m_filter.id && !r.sky) m_cell.notes.push_back(r.label() + phrase(" counts nowhere: ") + r.whyNoSky);
        if (m_sky.moon) m_cell.minutesOfDark = minutesOfDark();
        return std::move(m_cell);
    }

private:
    const GridModel& m_model;
    const GridQuestion& m_question;
    const GridFilter& m_filter;
    const GridSky& m_sky;
    const GridFilter* m_baseline;
    GridCell m_cell;

    const PlanRig& rig() const { return m_model.input().rig; }
    bool isBaseline() const { return m_baseline == &m_filter; }

    /// The channel in which this filter shows such targets soonest; where it shows nothing of them, the one in which the baseline shows most.
    void chooseChannel() {
        double best = 0;
        for (const GridChannel& c : m_filter.channels) {
            const auto pair = pairIn(c.name);
            if (!pair) continue;
            const double exposure = pair->exposure_s,
                         noise = std::exp(m_model.background(c, m_sky, rig()).ln) + rig().readNoise_e * rig().readNoise_e / exposure;
            const double signal = c.signal[static_cast<std::size_t>(m_question.kind)], speed = signal * signal / noise;
            const double open = pair->baseline->signal[static_cast<std::size_t>(m_question.kind)];
            if (open > 0 && signal / open >= kPasses && speed > best) best = speed, m_cell.channel = c.name;
        }
        if (!m_cell.channel.empty()) return;
        if (const GridChannel* open = m_baseline ? brightest(*m_baseline, m_question.kind) : nullptr) m_cell.channel = open->name;
        if (m_filter.channels.empty()) { // no curve: the channel that its runs were judged in
            const bool red = m_question.kind == TargetKind::Emission || m_question.kind == TargetKind::Sulphur;
            for (const char* name : {red ? "R" : "G", "L", "G", "B", "R"})
                for (const GridRun& r : m_model.input().runs)
                    if (m_cell.channel.empty() && r.filter == m_filter.id && r.background.count(name)) m_cell.channel = name;
        }
    }

    std::optional<GridModel::Pair> pairIn(const std::string& channel, const std::string& against = {}) const {
        const GridFilter* base = against.empty() ? m_baseline : m_model.input().filter(against);
        const GridChannel *f = m_filter.channel(channel), *b = base ? base->channel(channel) : nullptr;
        if (!f || !b) return std::nullopt;
        return GridModel::Pair{f, b, exposureOf(m_model, m_filter.id), exposureOf(m_model, base->id)};
    }

    std::string whyNothing() const {
        std::string why =
            m_filter.source == GridSource::Nothing ? phrase("no curve of it is known, and no run lies in this cell") : phrase("nothing is known of it here");
        if (m_filter.source != GridSource::Nothing && (!m_baseline || m_baseline->channels.empty()))
            why = phrase("no curve of the baseline is known, and no run lies in this cell");
        for (const GridRun& r : m_model.input().runs) {
            if (r.filter != m_filter.id) continue;
            if (const auto v = r.voided.find(q::timeRatio); v != r.voided.end()) return why + "; " + r.label() + phrase(" is void: ") + v->second;
            if (!r.sky) return why + "; of " + r.label() + " " + r.whyNoSky;
        }
        return why;
    }

    Estimate nothing(std::string why = {}) const {
        Estimate out;
        out.reason = why.empty() ? whyNothing() : std::move(why);
        return out;
    }

    Estimate background(const std::string& channel) const {
        const GridChannel* c = m_filter.channel(channel);
        Best best;
        for (std::size_t i = 0; i < m_model.input().runs.size(); ++i) {
            const GridRun& r = m_model.input().runs[i];
            const auto figure = r.background.find(channel);
            if (r.filter != m_filter.id || !r.sky || r.backgroundVoid || figure == r.background.end()) continue;
            const bool here = sameSky(seen(*r.sky), seen(m_sky));
            Estimate e;
            // From that run's telescope to this one.
            const double grasp = c ? std::log(signalRate(*c, TargetKind::Stars, 20, rig()) / signalRate(*c, TargetKind::Stars, 20, r.rig)) : 0;
            e.sigma = figure->second.sigma / figure->second.value;
            e.value = std::log(figure->second.value) + grasp;
            e.runs = {i};
            if (here && !c) {
                e.origin = CellOrigin::Measured, e.model = kWithinClass;
            } else if (c) {
                const LnEstimate step = stepFrom(r, [&](const GridSky& from) { return m_model.backgroundStep(*c, from, m_sky, rig()); });
                if (here && std::abs(step.ln) <= kLargestStep && std::abs(grasp) < 0.02) {
                    e.origin = CellOrigin::Measured, e.model = std::hypot(step.ln, step.sigma);
                } else {
                    e.origin = CellOrigin::Scaled, e.value += step.ln, e.model = std::hypot(step.sigma, std::abs(grasp) < 0.02 ? 0 : 0.05);
                }
            } else {
                continue;
            }
            best.take(e);
        }
        Estimate out = best.result();
        if (out.origin != CellOrigin::Empty) return out;
        if (!c) return nothing();
        const LnEstimate m = m_model.background(*c, m_sky, rig());
        out.origin = CellOrigin::Modelled, out.value = m.ln, out.model = m.sigma;
        return out;
    }

    /// A step of the model from the sky of a run's place, as it was fitted, to the cell's; how well the place's sky is known is part of its error.
    template<class F>
    LnEstimate stepFrom(const GridRun& r, const F& step) const {
        GridSky sky = *r.sky;
        const SiteFit& fit = m_model.sites()[r.site];
        if (fit.fitted) sky.zenith_mag = fit.sky_mag;
        LnEstimate out = step(sky);
        sky.zenith_mag -= fit.sky_mag_sigma;
        out.sigma = std::hypot(out.sigma, step(sky).ln - out.ln);
        return out;
    }

    Estimate timeRatio() {
        if (isBaseline()) return ofBaseline();
        const std::string& channel = m_cell.channel;
        const auto pair = pairIn(channel);
        std::optional<LnEstimate> passed;
        if (pair) passed = m_model.throughput(*pair, m_question.kind);
        Best best;
        for (std::size_t i = 0; i < m_model.input().runs.size(); ++i) {
            const GridRun& r = m_model.input().runs[i];
            const auto figure = r.timeRatio.find(channel);
            if (r.filter != m_filter.id || r.baseline || !r.sky || figure == r.timeRatio.end()) continue;
            const bool here = sameSky(seen(*r.sky), seen(m_sky));
            Estimate e;
            e.runs = {i};
            e.value = std::log(figure->second.value), e.sigma = figure->second.sigma / figure->second.value;
            const auto own = pairIn(channel, r.against);
            if (!pair || !own) {
                if (!here || r.kind != m_question.kind || r.against != m_model.input().baseline) continue;
                e.origin = CellOrigin::Measured, e.model = kWithinClass; // how far its sky is from the cell's nobody knows
                best.take(e);
                continue;
            }
            LnEstimate step = stepFrom(r, [&](const GridSky& from) { return m_model.timeRatioStep(*own, from, m_sky, rig()); });
            bool sameLight = r.kind == m_question.kind;
            if (r.against != m_model.input().baseline) { // another baseline: the model leads from one to the other
                const GridModel::Pair bases{own->baseline, pair->baseline, own->baselineExposure_s, pair->baselineExposure_s};
                if (const auto b = m_model.timeRatio(bases, r.kind, m_sky, rig())) step.ln += b->ln, step.sigma = std::hypot(step.sigma, b->sigma);
                sameLight = false;
            } else if (!sameLight) {
                // What the filter leaves of another kind's light is the model's; the noise stays measured.
                const auto t = r.throughput.find(channel);
                if (!passed) continue;
                if (t != r.throughput.end()) {
                    e.value -= 2 * std::log(t->second.value);
                    // Most of the time ratio's error is that of the signal, which goes.
                    e.sigma = std::sqrt(std::max(0.0025, e.sigma * e.sigma - std::pow(2 * t->second.sigma / t->second.value, 2)));
                } else if (const auto was = m_model.throughput(*own, r.kind)) {
                    e.value -= 2 * was->ln;
                    step.sigma = std::hypot(step.sigma, 2 * was->sigma);
                }
                step.ln += 2 * passed->ln;
                step.sigma = std::hypot(step.sigma, 2 * passed->sigma);
            }
            if (here && sameLight && std::abs(step.ln) <= kLargestStep) {
                e.origin = CellOrigin::Measured, e.model = std::hypot(step.ln, step.sigma);
            } else {
                e.origin = CellOrigin::Scaled, e.value += step.ln, e.model = step.sigma;
            }
            best.take(e);
        }
        Estimate out = best.result();
        if (out.origin == CellOrigin::Measured) return out;
        if (passed && std::exp(passed->ln) < kPasses)
            return nothing(phrase("it passes no more than {:.1g} % of the light of {}", 100 * std::exp(passed->ln), targetKindLabel(m_question.kind)));
        if (out.origin != CellOrigin::Empty) return out;
        if (!pair) return nothing();
        const auto m = m_model.timeRatio(*pair, m_question.kind, m_sky, rig());
        if (!m) return nothing(phrase("the camera does not see the light of {}", targetKindLabel(m_question.kind)));
        out.origin = CellOrigin::Modelled, out.value = m->ln, out.model = m->sigma;
        tellVoided();
        return out;
    }

    void tellVoided() {
        for (const GridRun& r : m_model.input().runs)
            if (const auto v = r.voided.find(q::timeRatio); r.filter == m_filter.id && v != r.voided.end())
                m_cell.notes.push_back(r.label() + phrase(" is void here: ") + v->second);
    }

    /// Against itself a filter is what it is; only where it was measured differs.
    Estimate ofBaseline() const {
        Estimate out;
        out.origin = CellOrigin::Modelled;
        for (std::size_t i = 0; i < m_model.input().runs.size(); ++i) {
            const GridRun& r = m_model.input().runs[i];
            if (r.filter != m_filter.id || !r.sky) continue;
            if (sameSky(seen(*r.sky), seen(m_sky))) {
                if (out.origin != CellOrigin::Measured) out.runs.clear();
                out.origin = CellOrigin::Measured;
                out.runs.push_back(i);
            } else if (out.origin == CellOrigin::Modelled) {
                out.origin = CellOrigin::Scaled, out.runs = {i};
            }
        }
        return out;
    }

    double brightness() const { return m_question.brightness.value_or(usualBrightness(m_question.kind)); }

    /// A figure made of the background and a signal of the asked brightness: `power` of the background, the rest from signal and background. Never measured:
    /// the signal is the model's.
    template<class F>
    Estimate fromSignal(Estimate b, double power, const F& rest) const {
        if (b.origin == CellOrigin::Empty) return b;
        const GridChannel* c = m_filter.channel(m_cell.channel);
        if (!c) return nothing(phrase("no curve of it is known, so that its signal is not either"));
        const double signal = std::exp(m_model.scale()) * signalRate(*c, m_question.kind, brightness(), rig());
        const GridChannel* open = m_baseline ? m_baseline->channel(m_cell.channel) : nullptr;
        if (!(signal > 0) || (open && c->signal[static_cast<std::size_t>(m_question.kind)] < kPasses * open->signal[static_cast<std::size_t>(m_question.kind)]))
            return nothing(phrase("it passes next to nothing of the light of {}", targetKindLabel(m_question.kind)));
        if (b.origin == CellOrigin::Measured) b.origin = CellOrigin::Scaled;
        const double level = std::exp(b.value);
        b.value = power * b.value + std::log(rest(signal, level));
        b.sigma *= std::abs(power);
        b.model = std::sqrt(std::pow(power * b.model, 2) + std::pow(m_model.throughputError(), 2) + std::pow(m_model.scaleError(), 2));
        return b;
    }

    Estimate hours() const {
        // SNR of a box = signal sqrt(n t) / noise, with n pixels in it.
        const double box = 100 / (rig().scale_arcsec() * rig().scale_arcsec()), exposure = exposureOf(m_model, m_filter.id);
        const double read = rig().readNoise_e * rig().readNoise_e / exposure;
        const Estimate b = background(m_cell.channel);
        Estimate out = fromSignal(b, 0, [&](double signal, double level) { return kDepthSnr * kDepthSnr * (level + read) / (signal * signal * box) / 3600; });
        if (out.origin == CellOrigin::Empty) return out;
        const double part = skyPartOf(std::exp(b.value), exposure);
        out.sigma = part * b.sigma;
        out.model = std::sqrt(std::pow(part * b.model, 2) + 4 * std::pow(m_model.throughputError(), 2) + 4 * std::pow(m_model.scaleError(), 2));
        return out;
    }

    double skyPartOf(double level, double exposure) const { return level / (level + rig().readNoise_e * rig().readNoise_e / exposure); }

    Estimate subLength() {
        // The channel whose sky is darkest decides.
        Estimate darkest;
        double brightestLevel = 0;
        for (const GridChannel& c : m_filter.channels) {
            const Estimate b = background(c.name);
            if (b.origin == CellOrigin::Empty) continue;
            brightestLevel = std::max(brightestLevel, std::exp(b.value));
            if (darkest.origin == CellOrigin::Empty || b.value < darkest.value) darkest = b, m_cell.channel = c.name;
        }
        if (darkest.origin == CellOrigin::Empty) return nothing();
        const double scale = (rig().fullScale_adu - rig().pedestal_adu) * rig().e_per_adu;
        m_cell.histogram_s = std::pair{0.25 * scale / brightestLevel, 0.40 * scale / brightestLevel};
        darkest.value = std::log(10 * rig().readNoise_e * rig().readNoise_e) - darkest.value;
        return darkest;
    }

    Estimate haloClean() {
        Best best;
        for (std::size_t i = 0; i < m_model.input().runs.size(); ++i) {
            const GridRun& r = m_model.input().runs[i];
            if (r.filter != m_filter.id || !r.sky || !r.haloClean) continue;
            const GridChannel* c = m_filter.channel(r.haloChannel);
            Estimate e;
            e.runs = {i};
            e.value = r.haloClean->value, e.sigma = r.haloClean->sigma;
            const bool here = sameSky(seen(*r.sky), seen(m_sky));
            if (c) {
                // The noise under the halo goes with the root of the sky.
                const LnEstimate step = stepFrom(r, [&](const GridSky& from) { return m_model.backgroundStep(*c, from, m_sky, rig()); });
                const double part = skyPartOf(std::exp(m_model.background(*c, m_sky, rig()).ln), r.exposure_s);
                const double mag = -1.25 / M_LN10 * part * step.ln;
                e.origin = here ? CellOrigin::Measured : CellOrigin::Scaled;
                e.model = std::hypot(here ? mag : 0, 1.25 / M_LN10 * part * step.sigma);
                if (!here) e.value += mag;
            } else if (here) {
                e.origin = CellOrigin::Measured;
            } else {
                continue;
            }
            best.take(e);
        }
        Estimate out = best.result();
        if (!out.runs.empty()) m_cell.channel = m_model.input().runs[out.runs.front()].haloChannel;
        return out.origin == CellOrigin::Empty ? nothing(phrase("no halo of it was measured, and halos cannot be foretold from a curve")) : out;
    }

    std::optional<GridFigure> minutesOfDark() const {
        const GridChannel* c = m_filter.channel(m_cell.channel);
        if (!c) return std::nullopt;
        GridSky dark = m_sky;
        dark.moon.reset();
        const LnEstimate step = m_model.backgroundStep(*c, m_sky, dark, rig());
        const double exposure = exposureOf(m_model, m_filter.id), read = rig().readNoise_e * rig().readNoise_e / exposure;
        const Estimate here = background(m_cell.channel);
        if (here.origin == CellOrigin::Empty) return std::nullopt;
        const double moonlit = std::exp(here.value), alone = moonlit * std::exp(step.ln);
        const double minutes = 60 * (alone + read) / (moonlit + read);
        return GridFigure{minutes, minutes * step.sigma * alone / (alone + read)};
    }

    void fill(const Estimate& e, bool logarithm) {
        m_cell.origin = e.origin;
        m_cell.reason = e.reason;
        m_cell.runs = e.runs;
        if (e.origin == CellOrigin::Empty) return;
        m_cell.value = logarithm ? std::exp(e.value) : e.value;
        const double unit = logarithm ? m_cell.value : 1;
        m_cell.sigma = unit * e.whole();
        m_cell.modelSigma = unit * e.model;
    }
};

} // namespace

const char* gridQuantityName(GridQuantity q) {
    constexpr std::array names{"time_ratio", "contrast", "background", "hours", "sub_length", "halo_clean_mag"};
    return names[static_cast<std::size_t>(q)];
}
const char* gridQuantityLabel(GridQuantity q) {
    constexpr std::array names{"Time ratio", "Contrast", "Background", "Hours to a depth", "Sub length", "Halo-free star"};
    return names[static_cast<std::size_t>(q)];
}
const char* gridQuantityUnit(GridQuantity q) {
    constexpr std::array units{"1", "1", "e-/s/px", "h", "s", "mag"};
    return units[static_cast<std::size_t>(q)];
}
std::optional<GridQuantity> gridQuantity(std::string_view name) {
    for (const GridQuantity q : kGridQuantities)
        if (name == gridQuantityName(q)) return q;
    return std::nullopt;
}

const char* cellOriginName(CellOrigin o) {
    constexpr std::array names{"measured", "scaled", "modelled", "empty"};
    return names[static_cast<std::size_t>(o)];
}

double usualBrightness(TargetKind kind) {
    return shinesInLines(kind) ? 5 : kind == TargetKind::Stars ? 22 : 25;
}

GridCell gridCell(const GridModel& model, const GridQuestion& question, const GridFilter& filter, const GridSky& sky) {
    return CellMaker(model, question, filter, sky).make();
}

std::vector<GridCell> gridCells(const GridModel& model, const GridQuestion& question) {
    std::vector<GridCell> out;
    for (const GridFilter& f : model.input().filters)
        for (const GridSky& s : question.skies) out.push_back(gridCell(model, question, f, s));
    return out;
}

} // namespace caelumen
