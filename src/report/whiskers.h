#pragma once

#include "core/compare/scores.h"
#include "core/verdict/verdict.h"
#include "report/filter_style.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A row of a chart as it is meant, whoever draws it (the Bench, the Verdict, pages, the card): who it is, a value with its error of one sigma, and how that
/// reads.
struct Whisker {
    QString name;
    FilterStyle style;
    std::optional<double> value = {}, sigma = {};
    QString text; ///< the value in words, or why there is none
    bool limit = false, unfair = false;
};

/// Where values stand between two edges of a chart.
struct WhiskerScale {
    double low = 1e300, high = -1e300;
    void take(double value);
    void take(const Whisker& row); ///< one hopeless error does not squeeze the others
    bool empty() const { return low > high; }
    /// `room`: part of the span that is left free at either edge.
    double at(double value, double left, double right, double room = 0.06) const;
};

/// From zero, with the whole error of each row: for few rows that all have a value.
template<class Row>
WhiskerScale scaleFromZero(const std::vector<Row>& rows) {
    WhiskerScale scale;
    scale.take(0);
    for (const Row& r : rows) scale.take(*r.value - *r.sigma), scale.take(*r.value + *r.sigma);
    return scale;
}

/// A score of a run, or why it has none; `m` null: it was not measured.
Whisker scoreWhisker(const Trial& trial, const TrialResults* results, const Run& run, const Score& score, const Measurement* m, bool redTheme = false);

/// Filters in the order of a verdict, with what each merit adds to the score.
struct RankingRow : Whisker {
    QString id, ties;
    double chance = 0;                          ///< of being best
    std::array<double, kMerits.size()> parts{}; ///< of the score, in its steps
    QString chanceText() const;
};
std::vector<RankingRow> rankingRows(const Trial& trial, const Verdict& verdict, const Profile& profile, bool redTheme = false);
/// All of it: bars of merits from the baseline, scores with their errors.
WhiskerScale rankingScale(const std::vector<RankingRow>& rows);

/// Rows of values on white, with a dashed line where the baseline is; empty where no row has a value.
std::string whiskersSvg(const std::vector<Whisker>& rows, std::optional<double> base);

} // namespace caelumen
