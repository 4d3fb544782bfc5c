#include "core/compare/headlines.h"

#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <algorithm>

namespace caelumen {
namespace {

std::string workingChannel(const Trial& trial, const TrialResults& results, const std::string& run) {
    for (const Region& r : trial.regions) {
        if (r.role != RegionRole::Nebula) continue;
        if (const Measurement* m = results.headline(run, q::nebulaSignal, r.id)) return m->channel;
    }
    std::string first;
    for (const Measurement& m : results.measurements) {
        if (m.run != run || m.quantity != q::pixelNoise) continue;
        if (m.channel == "G" || m.channel == "L") return m.channel;
        if (first.empty()) first = m.channel;
    }
    return first;
}

/// A limit says less than light that nobody can explain, and that less than a halo.
int certainty(const Measurement& m) {
    return m.flagged(flag::upperLimit) ? 0 : m.flagged(flag::unexplainedLight) ? 1 : 2;
}

/// Region and channel with the most halo light; limits only where nothing is detected.
std::pair<std::string, std::string> worstHalo(const TrialResults& results, const std::string& run) {
    const Measurement* worst = nullptr;
    for (const Measurement& m : results.measurements) {
        if (m.run != run || m.quantity != q::haloFluxFraction) continue;
        const int rank = certainty(m);
        if (!worst || rank > certainty(*worst))
            worst = &m;
        else if (rank == certainty(*worst) && (rank == 0 ? m.value < worst->value : m.value > worst->value))
            worst = &m;
    }
    return worst ? std::pair{worst->region, worst->channel} : std::pair<std::string, std::string>{};
}

} // namespace

void chooseHeadlines(const Trial& trial, TrialResults& results) {
    for (const RunConditions& c : results.conditions) {
        const std::string working = workingChannel(trial, results, c.run);
        const auto [haloRegion, haloChannel] = worstHalo(results, c.run);
        for (Measurement& m : results.measurements) {
            if (m.run != c.run) continue;
            const Quantity* q = quantity(m.quantity);
            if (!q || q->group == "colour") continue;
            if (q->group == "halo")
                m.headline = m.region == haloRegion && m.channel == haloChannel;
            else if (q->group != "nebula" || m.quantity == q::faintLimit)
                m.headline = m.channel == working;
        }
    }
}

} // namespace caelumen
