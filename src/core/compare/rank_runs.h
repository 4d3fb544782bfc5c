#pragma once

#include "core/model/results.h"

namespace caelumen {

/// One ranking for each headline figure that has a better and a worse end and at least two measured runs (limits and voided figures are left out),
/// for each nebula region where it belongs to one.
std::vector<Ranking> rankRuns(const Trial& trial, const TrialResults& results);

} // namespace caelumen
