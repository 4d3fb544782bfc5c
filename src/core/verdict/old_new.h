#pragma once

#include "core/grid/model.h"

namespace caelumen {

/// One figure of two runs of different trials, each brought to steps from its own trial's baseline.
struct OldNewRow {
    std::string label, unit; ///< "Signal in a given time", "times"
    std::optional<double> before, beforeSigma, now, nowSigma;
    std::string beforeOrigin;                ///< measured, or scaled: carried to the new trial's sky
    std::optional<double> difference, sigma; ///< now less before, in steps that somebody would notice; better is positive
    bool toldApart = false;
    std::string why; ///< nothing to compare, in a sentence
};
struct OldNew {
    std::vector<OldNewRow> rows;
    std::vector<std::string> fairness; ///< what else differed between the two trials
    bool isVoid = false;               ///< they share no baseline: nothing is said
    std::vector<std::string> sentences;
};

/// A run of an old trial beside a run of a new one. What depends on the sky (time ratio, background) is carried from the old trial to the new one's sky by the
/// grid's model, with its error; halos, star colours and gradients hold under any sky. Both are measured against their own baselines, which must be the same
/// filter. An Error for runs that are not there.
Result<OldNew> compareOldNew(const GridTrial& before, const std::string& beforeRun, const GridTrial& now, const std::string& nowRun);

} // namespace caelumen
