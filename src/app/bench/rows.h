#pragma once

#include "app/bench/lane_list.h"
#include "app/bench/score_panel.h"
#include "core/model/results.h"

#include <vector>

namespace caelumen {

/// What lanes and score panels show, made from a trial and its results (null while there are none).
std::vector<LaneEntry> laneEntries(const Trial& trial, const TrialResults* results);
std::vector<ScoreRow> scoreRows(const Trial& trial, const TrialResults* results, const Score& score, const QString& nebula);

/// The five scores of all runs as a tab-separated table.
QString scoreTable(const Trial& trial, const TrialResults* results, const QString& nebula);

} // namespace caelumen
