#include "core/verdict/run_merits.h"

#include "core/verdict/notice.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

bool isVoid(const TrialResults& r, const std::string& run, std::string_view quantity) {
    return std::any_of(r.fairness.begin(), r.fairness.end(), [&](const Unfairness& u) {
        return u.run == run && u.grade == Grade::Voids && !u.normalised && std::find(u.quantities.begin(), u.quantities.end(), quantity) != u.quantities.end();
    });
}

RunMerits runMerits(const GridTrial& t, const std::string& run) {
    RunMerits out;
    const TrialResults& r = *t.results;
    double rings = 0, ringVar = 0, least = 1e300;
    bool seen = false, limit = false;
    ErrorMean colour, gradient;
    for (const Measurement& m : r.measurements) {
        if (m.run != run) continue;
        const bool gone = isVoid(r, run, m.quantity);
        if (m.quantity == "halo_flux_fraction") {
            if (gone)
                out.haloVoid = true;
            else if (!m.headline && m.region.find('#') == std::string::npos)
                continue; // one channel speaks for a star
            else if (m.flagged("upper-limit"))
                limit = true, least = std::min(least, m.value);
            else
                rings += m.value, ringVar += m.sigma * m.sigma, seen = true;
        }
        if (m.quantity == "colour_slope" && m.sigma > 0) {
            if (gone)
                out.colourVoid = true;
            else
                colour.add(std::abs(1 - m.value), std::max(m.sigma, 0.01));
        }
        if (m.quantity == "gradient" && m.sigma > 0 && m.headline) {
            const Measurement* base = r.find(r.baseline, "gradient", m.channel);
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
