#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace caelumen {

struct TrialResults;

/// Two runs under one score, and whether they can be told apart.
struct RankedPair {
    std::string better, worse;
    bool separated = false;      ///< the difference exceeds 1.96 of its errors
    std::optional<int> moreSubs; ///< for each of the two, so that it would; nothing when separated, without counts of subs, or when millions would not do
};

struct RankedRun {
    std::string run;
    double value = 0, sigma = 0; ///< in the unit of the figure
    int rank = 0;                ///< 1 is best; runs that cannot be told from the best of their group share its rank
};

/// The runs in the order of one headline figure, best first.
struct Ranking {
    std::string quantity, region;
    std::vector<RankedRun> runs;
    std::vector<RankedPair> pairs; ///< neighbours in that order
};

/// The ranking of a figure, for a region where it has one; null where nothing is ranked.
const Ranking* rankingOf(const TrialResults& results, std::string_view quantity, const std::string& region);

} // namespace caelumen
