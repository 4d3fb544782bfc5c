#pragma once

#include "core/base/json_fwd.h"
#include "core/compare/scores.h"

#include <cstdint>

namespace caelumen {

/// Runs ranked by eye without knowing which is which.
struct BlindLook {
    std::string score;                ///< id of what was judged
    std::string region;               ///< nebula or halo star; empty: the whole frame
    std::vector<std::string> shown;   ///< runs in the order in which they were shown
    std::vector<std::string> ranking; ///< runs from best to worst by eye
    std::string reasons, date;        ///< date: ISO 8601, UTC
    friend bool operator==(const BlindLook&, const BlindLook&) = default;
};

/// The runs in an order that tells nothing about them; every order is as likely (Fisher & Yates 1938).
std::vector<std::string> shuffledRuns(std::vector<std::string> runs, std::uint64_t seed);

/// How the eye and the figures agree.
struct Agreement {
    int pairs = 0;                     ///< of runs that the figures tell apart at 95 %
    int agreed = 0;                    ///< of these: ranked by eye as by figures
    int open = 0;                      ///< pairs that the figures do not tell apart
    std::vector<std::string> measured; ///< runs from best to worst by figures; without those that have none
    /// Probability that somebody who sees nothing agrees in so many pairs or more, over all orders of the measured runs (1 without pairs). Exact up to eight
    /// runs, else of 20,000 orders.
    double chance = 1;
};
Agreement agreementOf(const BlindLook& look, const TrialResults& results);

Json blindLookToJson(const BlindLook& look);
Result<BlindLook> blindLookFromJson(const Json& json, const std::string& source);

} // namespace caelumen
