#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/model/trial.h"

#include <filesystem>

namespace caelumen {

/// A trial out of its JSON (docs/formats.md). `name` is the file named in errors. Checks types, ranges, duplicate ids and dangling references;
/// unknown fields are passed over.
Result<Trial> trialFromJson(const Json& json, const std::string& name);

/// Reads a trial file. File names inside it stay as they are, relative to its folder.
Result<Trial> readTrial(const std::filesystem::path& path);

Json trialToJson(const Trial& trial);

} // namespace caelumen
