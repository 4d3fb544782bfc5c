#include "core/grid/frontier.h"

#include "core/base/phrase.h"
#include "core/plan/proof_error.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kCertain = 1.645; ///< sigmas of 95 %, one-sided

std::string nameOf(const GridModel& model, const std::string& id) {
    const GridFilter* f = model.input().filter(id);
    return f ? f->name : id;
}

/// How sure a cell is that the filter beats the baseline, in sigmas.
double winsBy(const GridCell& c) {
    if (c.origin == CellOrigin::Empty || !(c.value > 0)) return -1e9;
    return std::log(c.value) / std::max(1e-6, c.sigma / c.value);
}

/// Variance of a cell's logarithm.
double varianceOf(const GridCell& c) {
    return std::pow(c.sigma / std::max(1e-12, c.value), 2);
}

/// The foretold figures of a run: as photons, read noise and the faint stars of a usual field allow.
RunRates ratesOf(const GridModel& model, const GridChannel& channel, TargetKind kind, const GridSky& sky) {
    constexpr double kFairLine = 25, kFairContinuum = 24; // R, V mag per square arcsecond: of what people choose to test on
    const PlanRig& rig = model.input().rig;
    RunRates r;
    r.signal = std::exp(model.scale()) * signalRate(channel, kind, shinesInLines(kind) ? kFairLine : kFairContinuum, rig);
    r.background = std::exp(model.background(channel, sky, rig).ln);
    r.readNoise_e = rig.readNoise_e;
    r.scale_arcsec = rig.scale_arcsec();
    r.starRate = signalRate(channel, TargetKind::Stars, 0, rig) / (r.scale_arcsec * r.scale_arcsec);
    return r;
}

} // namespace

namespace {

/// Filters that are sure to beat the baseline under a sky, the best first.
struct Winners {
    std::vector<std::string> filters;
    bool anyKnown = false;
};

Winners winnersUnder(const GridModel& model, const GridQuestion& q, const GridSky& sky) {
    Winners out;
    std::vector<std::pair<double, std::string>> sure;
    for (const GridFilter& filter : model.input().filters) {
        if (filter.id == model.input().baseline) continue;
        const GridCell c = gridCell(model, q, filter, sky);
        out.anyKnown = out.anyKnown || c.origin != CellOrigin::Empty;
        if (winsBy(c) > kCertain) sure.emplace_back(-c.value, filter.id);
    }
    std::sort(sure.begin(), sure.end());
    for (const auto& [value, id] : sure) out.filters.push_back(id);
    return out;
}

Frontier frontierOf(const GridModel& model, TargetKind kind, std::optional<GridMoon> moon, double altitude_deg) {
    constexpr int kBrightest = 9;
    GridQuestion q;
    q.kind = kind;
    Frontier f;
    f.kind = kind;
    bool any = false, broken = false;      // broken: something wins under a darker sky, and not under the next brighter one
    int first = kBrightest + 1;            // from here on something wins under each sky
    std::vector<std::string> winners, all; // the same one under all of them, best first under the darkest; whichever wins somewhere there
    for (int bortle = kBrightest; bortle >= 1; --bortle) {
        const Winners here = winnersUnder(model, q, skyOfClass(bortle, moon, altitude_deg));
        any = any || here.anyKnown;
        if (here.filters.empty()) continue;
        if (first != bortle + 1) {
            broken = true;
            continue;
        }
        std::vector<std::string> still;
        for (const std::string& id : here.filters)
            if (first > kBrightest || std::find(winners.begin(), winners.end(), id) != winners.end()) still.push_back(id);
        winners = std::move(still);
        std::erase(all, here.filters.front());
        all.insert(all.begin(), here.filters.front());
        first = bortle;
    }
    const std::string on = targetKindLabel(kind), base = nameOf(model, model.input().baseline);
    if (!any) {
        f.text = phrase("Of no filter here is anything known on {}.", on);
        return f;
    }
    if (first > kBrightest) {
        f.text = broken ? phrase("On {} something here is sure to beat {} under some skies, but not under brighter ones.", on, base)
                        : phrase("Nothing here is sure to beat {} on {}, under any sky.", base, on);
        return f;
    }
    f.filter = winners.empty() ? all.front() : winners.front();
    if (first > 1) f.from_mag = 0.5 * (bortleBrightness(first) + bortleBrightness(first - 1));
    if (broken) {
        f.text = phrase("From class {} on some filter is sure to beat {} on {}, the first of them {}; under darker skies only here and there.", first, base, on,
                        nameOf(model, f.filter));
        return f;
    }
    if (!winners.empty()) {
        f.text = first == 1 ? phrase("On {} {} beats {} under every sky, with 95 % certainty.", on, nameOf(model, f.filter), base)
                            : phrase("Below class {} nothing here is sure to beat {} on {}; from there on {} does.", first, base, on, nameOf(model, f.filter));
        return f;
    }
    std::string names;
    for (const std::string& id : all) names += (names.empty() ? "" : ", ") + nameOf(model, id);
    f.text = first == 1
                 ? phrase("On {} some filter beats {} under every sky, with 95 % certainty, but not the same one under all: {}.", on, base, names)
                 : phrase("Below class {} nothing here is sure to beat {} on {}; from there on some filter does, but not the same one under all skies: {}.",
                          first, base, on, names);
    return f;
}

} // namespace

std::vector<Frontier> frontiers(const GridModel& model, std::optional<GridMoon> moon, double altitude_deg) {
    std::vector<Frontier> out;
    for (const TargetKind kind : kTargetKinds) out.push_back(frontierOf(model, kind, moon, altitude_deg));
    return out;
}

std::vector<NextMeasurement> nextMeasurements(const GridModel& model, const GridQuestion& asked, std::size_t most) {
    const GridInput& input = model.input();
    const GridFilter* base = input.filter(input.baseline);
    GridQuestion q = asked;
    q.quantity = GridQuantity::TimeRatio;
    std::vector<NextMeasurement> out;
    if (!base) return out;
    const auto cells = gridCells(model, q);
    double before = 0;
    for (const GridCell& c : cells)
        if (c.origin != CellOrigin::Empty) before += varianceOf(c);
    std::vector<std::optional<GridMoon>> moons;
    for (const GridSky& s : q.skies)
        if (std::find(moons.begin(), moons.end(), s.moon) == moons.end()) moons.push_back(s.moon);
    if (!(before > 0)) return out;
    for (const GridFilter& filter : input.filters) {
        if (filter.id == input.baseline) continue;
        for (std::size_t site = 0; site < input.sites.size(); ++site)
            for (const auto& moon : moons) {
                if (!input.sites[site].stated_mag && !model.sites()[site].fitted) continue;
                const GridSky sky = skyOfReading(model.sites()[site].sky_mag, moon, q.skies.front().altitude_deg);
                const GridCell now = gridCell(model, q, filter, sky);
                const GridChannel *f = filter.channel(now.channel), *b = base->channel(now.channel);
                if (!f || !b || now.origin == CellOrigin::Empty) continue;
                const RunRates rf = ratesOf(model, *f, q.kind, sky), rb = ratesOf(model, *b, q.kind, sky);
                NextMeasurement best;
                for (const double hours : {1.0, 2.0, 4.0, 8.0}) { // for both filters together
                    constexpr double kExposure = 180;
                    const double subs = hours / 2 * 3600 / kExposure, hidden = std::max(faintestFound(rf, kExposure, subs), faintestFound(rb, kExposure, subs));
                    const ProofGround ground;
                    const double sigma = ratioSigma(foretellRun(rf, kExposure, subs, ground, hidden), foretellRun(rb, kExposure, subs, ground, hidden));
                    if (!(sigma > 0)) continue;
                    double less = 0;
                    for (const GridCell& c : cells) {
                        if (c.filter != filter.id || c.origin == CellOrigin::Empty || c.channel != now.channel) continue;
                        const LnEstimate step = model.timeRatioStep({f, b}, sky, c.sky, input.rig);
                        const double known = varianceOf(c), model2 = std::pow(c.modelSigma / c.value, 2), own = std::max(1e-9, known - model2);
                        // From a place that the cell rests on already the model's step is the same again.
                        const bool again =
                            !c.runs.empty() && input.runs[c.runs.front()].site == site && input.runs[c.runs.front()].sky->moon.has_value() == moon.has_value();
                        less += again ? own - 1 / (1 / own + 1 / (sigma * sigma)) : known - 1 / (1 / known + 1 / (sigma * sigma + step.sigma * step.sigma));
                    }
                    const double gain = less / before / hours;
                    if (gain > best.gain) best = {filter.id, site, sky, hours, sigma, gain, {}};
                }
                if (best.gain * best.hours > 0.005) out.push_back(best);
            }
    }
    std::stable_sort(out.begin(), out.end(), [](const NextMeasurement& a, const NextMeasurement& b) { return a.gain > b.gain; });
    if (out.size() > most) out.resize(most);
    for (NextMeasurement& n : out)
        n.text = phrase("{} at {}, {}: {:.0f} h, shared with {}, would take away {:.0f} % of the doubt", nameOf(model, n.filter), input.sites[n.site].name,
                        n.sky.moon ? phrase("moon {:.0f} % lit", 100 * n.sky.moon->illuminated) : phrase("without moon"), n.hours,
                        nameOf(model, input.baseline), 100 * n.gain * n.hours);
    return out;
}

} // namespace caelumen
