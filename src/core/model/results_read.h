#pragma once

#include "core/model/results.h"

namespace caelumen {

/// A results file, and as much of its trial as it tells: title, runs with their filters and the baseline. Evidence and frames are not in it.
struct ReadResults {
    Trial trial;
    TrialResults results;
};

/// Back from resultsToJson. An Error names the file and what is wrong with it.
Result<ReadResults> resultsFromJson(const Json& json, const std::string& name);

} // namespace caelumen
