#pragma once

#include "core/base/job.h"
#include "core/model/results.h"

#include <filesystem>

namespace caelumen {

/// Measures every run of a trial against its baseline. File names are relative to `folder`. Without a run marked as baseline the first run of a
/// filter of kind none, else uv-ir-cut, else the first run is taken. A run that cannot be measured or aligned is absent with its reason; only a baseline that
/// cannot be measured, a file that cannot be read, or a region outside the baseline's frame is an Error.
Result<TrialResults> measureTrial(const Trial& trial, const std::filesystem::path& folder, const Job& job = {});

} // namespace caelumen
