#pragma once

#include "core/model/results.h"

#include <span>
#include <string_view>

namespace caelumen {

/// The five scores of a comparison: which figure speaks for each, and which other figures belong beside it.
struct Score {
    std::string_view id; ///< the group of quantity.h
    std::string_view label;
    std::string_view headline; ///< quantity id
    std::string_view question; ///< what it answers
};
std::span<const Score> scores();

/// The row that speaks for a score of one run; a nebula score for the region given (else the first one). Null where absent.
const Measurement* scoreOf(const TrialResults& results, const std::string& run, const Score& score, const std::string& nebula = {});

/// A value that a whisker chart of this score starts from: what the baseline has (0 mag, ratio 1, slope 1); none for absolute figures.
std::optional<double> baselineValue(const Score& score);

/// Whether the comparison of this score is voided for this run, and the sentence that says why.
const Unfairness* voided(const TrialResults& results, const std::string& run, const Score& score);

} // namespace caelumen
