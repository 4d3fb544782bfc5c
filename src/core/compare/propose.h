#pragma once

#include "core/base/result.h"
#include "core/model/results.h"

#include <filesystem>
#include <vector>

namespace caelumen {

/// A first trial from frames alone: runs in the order given, filters from FILTER or the file's name, the baseline by the filter's kind. All of it is
/// marked as guessed. Facts stay in the headers. File names are absolute. An unreadable frame is an Error, or, with `passedOver`, left out and told there.
Result<Trial> proposeTrial(const std::vector<std::filesystem::path>& frames, std::vector<std::string>* passedOver = nullptr);

/// Adds frames as further runs to a trial, guessed likewise; ids go on from the last.
Status addRuns(Trial& trial, const std::vector<std::filesystem::path>& frames, std::vector<std::string>* passedOver = nullptr);

/// A filter's kind from what people call it: "UV/IR" is uv-ir-cut, "duo 7nm" dual-band, and so on; "other" where nothing is recognised.
std::string guessKind(const std::string& name);

/// Marks the run whose filter kind makes the best baseline (none, then uv-ir-cut, then light-pollution, then the first).
void guessBaseline(Trial& trial);

/// Regions from a first measurement without any: the cloud with most light in any run, where it is bright all around, and the next one or a fainter part of it,
/// free sky in each quarter of the frame, and the brightest star well inside. Fewer where the frames show fewer.
std::vector<Region> proposeRegions(const TrialResults& results);

} // namespace caelumen
