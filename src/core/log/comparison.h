#pragma once

#include "core/model/trial.h"

#include <string>
#include <vector>

namespace caelumen {

/// Puts a run of one trial into another: with its filter, and with what is known of its telescope and camera where that differs. File names must hold for both.
/// Returns the id that it has there, and adds sentences to `cautions` about what the comparison cannot make good (another place, another target).
std::string addRunOf(Trial& to, const Trial& from, const std::string& run, std::vector<std::string>& cautions);

/// Two runs of whatever trials as one trial, the first one (or the one that was a baseline) as its baseline.
Trial comparisonOf(const Trial& a, const std::string& runA, const Trial& b, const std::string& runB, std::vector<std::string>& cautions);

} // namespace caelumen
