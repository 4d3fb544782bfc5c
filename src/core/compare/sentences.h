#pragma once

#include "core/model/results.h"

#include <string>

namespace caelumen {

/// The answer in one sentence for one run against the baseline, before any table: how much faster it shows the nebula `region` (empty: the first).
std::string answerSentence(const Trial& trial, const TrialResults& results, const std::string& run, const std::string& region = {});

/// What the sky was like during a run: site class, moon, altitude, integration.
std::string conditionsSentence(const Trial& trial, const RunConditions& conditions);

/// A value with its error, rounded to what the error allows: "6.1 +-0.4"; a limit as "> 17.2" or "< 0.003".
std::string formatValue(const Measurement& m);
std::string formatNumber(double value, double sigma);

/// "Cannot be told from run C at 95 %; about 134 more subs of each would." Empty when the run's neighbours in the ranking are told apart.
std::string tieSentence(const Ranking& ranking, const std::string& run);

/// What it takes to tell two runs apart: "about 12 more subs of each would", or that no practical number would.
std::string moreSubsText(int more);

} // namespace caelumen
