#pragma once

#include "core/base/job.h"
#include "core/model/results.h"

#include <filesystem>

namespace caelumen {

class StarMemory;

/// Measures every run of a trial against its baseline. File names are relative to `folder`. Without a run marked as baseline the first run of a
/// filter of kind none, else uv-ir-cut, else the first run is taken. A run that cannot be measured or aligned is absent with its reason; only a baseline that
/// cannot be measured, a file that cannot be read, or a region outside the baseline's frame is an Error. `memory`: stars that are known already are not looked
/// for again; the figures are the same.
Result<TrialResults> measureTrial(const Trial& trial, const std::filesystem::path& folder, const Job& job = {}, StarMemory* memory = nullptr);

} // namespace caelumen
