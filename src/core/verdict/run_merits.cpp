#include "core/verdict/run_merits.h"

#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/verdict/notice.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

bool isVoid(const TrialResults& r, const std::string& run, std::string_view quantity) {
    return std::any_of(r.fairness.begin(), r.fairness.end(), [&](const Unfairness& u) {
        return u.run == run && u.grade == Grade::Voids && !u.normalised && std::find(u.quantities.begin(), u.quantities.end(), quantity) != u.quantities.end();
    });
}

std::optional<Darker> darkerThanBaseline(const GridModel& model, const GridFilter& filter, const GridSky& sky, TargetKind kind) {
    const GridFilter* base = model.input().filter(model.input().baseline);
    if (!base) return std::nullopt;
    GridQuestion q;
    q.kind = kind, q.quantity = GridQuantity::Background;
    Darker out{gridCell(model, q, filter, sky), 0, 0};
    const GridCell open = gridCell(model, q, *base, sky);
    const auto theirs = open.background.find(out.cell.channel);
    if (out.cell.origin == CellOrigin::Empty || theirs == open.background.end() || !(out.cell.value > 0) || !(theirs->second > 0)) return std::nullopt;
    out.mag = 2.5 * std::log10(theirs->second / out.cell.value);
    out.sigma = 2.5 / M_LN10 * out.cell.sigma / out.cell.value;
    return out;
}

namespace {

/// A star's name without its ring: "h1" of "h1#2".
std::string_view starOf(std::string_view region) {
    return region.substr(0, region.find('#'));
}

} // namespace

RunMerits runMerits(const GridTrial& t, const std::string& run) {
    RunMerits out;
    const TrialResults& r = *t.results;
    double rings = 0, ringVar = 0, least = 1e300;
    bool seen = false, limit = false;
    ErrorMean colour, gradient;
    const Measurement* worst = nullptr; // the ring that speaks for the run: with it count the others of its star in its channel
    for (const Measurement& m : r.measurements)
        if (m.run == run && m.quantity == q::haloFluxFraction && m.headline) worst = &m;
    for (const Measurement& m : r.measurements) {
        if (m.run != run) continue;
        const bool gone = isVoid(r, run, m.quantity);
        if (m.quantity == q::haloFluxFraction) {
            if (gone)
                out.haloVoid = true;
            else if (!worst || m.channel != worst->channel || starOf(m.region) != starOf(worst->region))
                continue;
            else if (m.flagged(flag::upperLimit))
                limit = true, least = std::min(least, m.value);
            else
                rings += m.value, ringVar += m.sigma * m.sigma, seen = true;
        }
        if (m.quantity == q::colourSlope && m.sigma > 0) {
            if (gone)
                out.colourVoid = true;
            else
                colour.add(std::abs(1 - m.value), std::max(m.sigma, 0.01));
        }
        if (m.quantity == q::gradient && m.sigma > 0 && m.headline) {
            const Measurement* base = r.find(r.baseline, q::gradient, m.channel);
            if (gone)
                out.gradientVoid = true;
            else if (base)
                gradient.add(m.value - base->value, std::max(std::hypot(m.sigma, base->sigma), 1e-4));
        }
    }
    if (seen)
        out.halo = MeritFigure{rings, std::max(std::sqrt(ringVar), 1e-5), false};
    else if (limit)
        out.halo = MeritFigure{least, least / 3, true};
    if (colour.any()) out.colour = MeritFigure{colour.value(), colour.sigma(), false};
    if (gradient.any()) out.gradient = MeritFigure{gradient.value(), gradient.sigma(), false};
    return out;
}

} // namespace caelumen
