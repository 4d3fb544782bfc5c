#pragma once

#include "core/model/results.h"

namespace caelumen {

/// What besides the filter differed between each run and the baseline, graded per figure; needs conditions, measurements and evidence in `results`.
std::vector<Unfairness> judgeFairness(const Trial& trial, const TrialResults& results);

} // namespace caelumen
