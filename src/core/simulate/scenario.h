#pragma once

#include "core/base/job.h"
#include "core/base/json_fwd.h"
#include "core/simulate/virtual_subs.h"

namespace caelumen {

/// A virtual night as a person writes it down (docs/formats.md): runs of subs, what goes wrong in them, and the calibration frames to take.
struct Scenario {
    std::vector<VirtualRun> runs; ///< the first one is the baseline
    VirtualFrames frames;
};

Result<Scenario> readScenario(const std::filesystem::path& path);
Result<Scenario> scenarioFromJson(const Json& json, const std::string& name, const std::filesystem::path& folder);

/// The files that tell of its frames, which writeScenario writes beside them.
std::vector<std::filesystem::path> scenarioOutputs(const Scenario& scenario, const std::filesystem::path& out);

/// Photographs it: a folder for each run with subs.json beside its frames, and truth.json with what perfect subs and stacks would show.
Status writeScenario(const Scenario& scenario, const std::filesystem::path& out, const Job& job = {});

} // namespace caelumen
