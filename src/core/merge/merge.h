#pragma once

#include "core/merge/tester_results.h"

namespace caelumen {

/// What one tester's figure counts for.
struct MergeShare {
    std::string source;
    double value = 0, sigma = 0; ///< in the unit of the quantity
    double weight = 0;           ///< 1 / (sigma^2 + between^2), in logarithms for ratios; 0: left out
    LeftOut leftOut = LeftOut::No;
    double apart = 0; ///< how many of its own errors (scatter between testers included) it lies from the mean of the others; 0 with fewer than three
};

/// One figure of a filter over all testers.
struct MergedFigure {
    std::string filter, channel, quantity, regionKind;
    int testers = 0;             ///< that count
    double value = 0, sigma = 0; ///< meaningless without any that counts
    double betweenSigma = 0;     ///< scatter between testers beyond their errors; in logarithms for ratios
    double q = 0;                ///< Cochran's Q: with testers - 1 degrees of freedom where they agree
    std::vector<MergeShare> each;
};

/// Random effects after DerSimonian & Laird (1986, Control. Clin. Trials 7, 177): each tester's value is the filter's plus the tester's own deviation, whose
/// scatter is estimated from Q. Angles are brought within half a turn of the first before they are averaged. By filter, then in the order of the list of
/// quantities, channel and region kind.
std::vector<MergedFigure> mergeResults(const std::vector<TesterResults>& testers);

/// Whether the testers differ by more than their errors explain: Q beyond what chance gives in 95 of 100 (chi squared after Wilson & Hilferty 1931, PNAS 17,
/// 684). `betweenSigma` is above zero for half of those who agree.
bool differBeyondErrors(const MergedFigure& figure);
/// Whether a tester lies so far from the others that among as many who agree somebody would in one figure of twenty.
bool standsOut(const MergedFigure& figure, const MergeShare& share);

/// As in docs/formats.md.
Json mergedToJson(const std::vector<MergedFigure>& figures);

} // namespace caelumen
