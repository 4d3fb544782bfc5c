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

std::vector<Frontier> frontiers(const GridModel& model, std::optional<GridMoon> moon, double altitude_deg) {
    std::vector<Frontier> out;
    const std::string base = nameOf(model, model.input().baseline);
    for (const TargetKind kind : kTargetKinds) {
        GridQuestion q;
        q.kind = kind;
        Frontier f;
        f.kind = kind;
        bool any = false;
        int first = 0, best = 0;
        for (int bortle = 1; bortle <= 9; ++bortle) {
            const GridSky sky = skyOfClass(bortle, moon, altitude_deg);
            double most = 0;
            std::string winner; // the best of those that are sure
            for (const GridFilter& filter : model.input().filters) {
                if (filter.id == model.input().baseline) continue;
                const GridCell c = gridCell(model, q, filter, sky);
                if (c.origin == CellOrigin::Empty) continue;
                any = true;
                if (winsBy(c) > kCertain && c.value > most) most = c.value, winner = filter.id;
            }
            if (!winner.empty()) {
                if (first == 0) first = bortle, f.filter = winner;
            } else {
                best = bortle;
                if (first != 0) first = 0, f.filter.clear(); // lost again under brighter skies: no clean border
            }
        }
        const std::string on = targetKindLabel(kind);
        if (!any) {
            f.text = phrase("Of no filter here is anything known on {}.", on);
        } else if (first == 0) {
            f.text = phrase("Nothing here is sure to beat {} on {}, under any sky.", base, on);
        } else if (first == 1) {
            f.text = phrase("On {} {} beats {} under every sky, with 95 % certainty.", on, nameOf(model, f.filter), base);
        } else {
            f.text = phrase("Below class {} nothing here is sure to beat {} on {}; from there on {} does.", first, base, on, nameOf(model, f.filter));
            f.from_mag = 0.5 * (bortleBrightness(first) + bortleBrightness(best));
        }
        out.push_back(std::move(f));
    }
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
