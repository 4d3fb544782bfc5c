#pragma once

#include "core/base/job.h"
#include "core/palette/mixture.h"

namespace caelumen {

/// Reads, splits, aligns and treats what the recipe names, files from `folder`: sky taken off, stars found, taken out or put aside, factors of the scale. An
/// Error names the file: no exposure known, stacks of different fields, stars that are a galaxy's knots. `otherTime`: also what it takes to show less and more
/// time (a recipe with hours asks for it by itself). What lies on the first input's grid within a twentieth of a pixel is not resampled.
Result<Mixture> prepareMixture(const Recipe& recipe, const std::filesystem::path& folder, bool otherTime = false, const Job& job = {});

} // namespace caelumen
