#pragma once

#include "app/bench/lane_list.h"
#include "app/bench/score_panel.h"
#include "core/model/results.h"

#include <span>
#include <vector>

namespace caelumen {

/// What lanes and score panels show, made from a trial and its results (null while there are none).
std::vector<LaneEntry> laneEntries(const Trial& trial, const TrialResults* results);
/// The scores that the Bench shows: the five of a comparison, and artefacts.
std::span<const Score> benchScores();
/// `region`: the nebula or halo star that the score is of, where it has one.
std::vector<ScoreRow> scoreRows(const Trial& trial, const TrialResults* results, const Score& score, const QString& region);

/// The five scores of all runs as a tab-separated table.
QString scoreTable(const Trial& trial, const TrialResults* results, const QString& nebula);

} // namespace caelumen
