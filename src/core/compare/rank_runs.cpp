#include "core/compare/rank_runs.h"

#include "core/compare/scores.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kApart = 1.96; ///< 95 % of a normal difference

RankedPair compare(const RankedRun& a, const RankedRun& b, const TrialResults& results) {
    RankedPair pair{a.run, b.run, false, std::nullopt};
    const double difference = std::abs(a.value - b.value), error = std::hypot(a.sigma, b.sigma);
    pair.separated = difference > kApart * error;
    if (pair.separated || !(difference > 0)) return pair;
    const RunConditions *first = results.conditionsOf(a.run), *second = results.conditionsOf(b.run);
    if (!first || !second || !first->sub_count || !second->sub_count) return pair;
    // Errors fall with the square root of the number of subs.
    const double times = std::pow(kApart * error / difference, 2) - 1;
    const double more = std::ceil(times * std::max(*first->sub_count, *second->sub_count));
    if (more < 1e6) pair.moreSubs = std::max(1, static_cast<int>(more));
    return pair;
}

Ranking rank(const Trial& trial, const TrialResults& results, const Score& score, const std::string& region, Better better) {
    Ranking out;
    out.quantity = score.headline;
    out.region = region;
    for (const Run& run : trial.runs) {
        const Measurement* m = scoreOf(results, run.id, score, region);
        if (!m || m->flagged(flag::upperLimit) || m->flagged(flag::unexplainedLight) || voided(results, run.id, score)) continue;
        out.runs.push_back({run.id, m->value, m->sigma, 0});
    }
    std::stable_sort(out.runs.begin(), out.runs.end(),
                     [&](const RankedRun& a, const RankedRun& b) { return better == Better::Higher ? a.value > b.value : a.value < b.value; });
    std::size_t head = 0; // best of the present group
    for (std::size_t i = 0; i < out.runs.size(); ++i) {
        if (i > 0) {
            out.pairs.push_back(compare(out.runs[i - 1], out.runs[i], results));
            if (compare(out.runs[head], out.runs[i], results).separated) head = i;
        }
        out.runs[i].rank = static_cast<int>(head) + 1;
    }
    return out;
}

} // namespace

std::vector<Ranking> rankRuns(const Trial& trial, const TrialResults& results) {
    std::vector<Ranking> out;
    const auto add = [&](const Score& score, const std::string& region) {
        const Quantity* q = quantity(score.headline);
        if (!q || q->better == Better::Neither) return;
        Ranking r = rank(trial, results, score, region, q->better);
        if (r.runs.size() >= 2) out.push_back(std::move(r));
    };
    for (const Score& score : scores()) {
        if (score.id != "nebula") {
            add(score, "");
            continue;
        }
        for (const Region& r : trial.regions)
            if (r.role == RegionRole::Nebula) add(score, r.id);
    }
    return out;
}

} // namespace caelumen
