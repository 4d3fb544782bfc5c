#pragma once

#include "core/model/trial.h"
#include "core/stars/alignment.h"

#include <optional>

namespace caelumen {

/// Edits of a trial that the Bench offers: each takes the trial before and gives it after.

/// Adds a region under the first free name of its kind (N1, S1, H1 ...), which `region` gets.
Trial withRegion(Trial trial, Region& region);
/// Replaces the region of the same id.
Trial withChanged(Trial trial, const Region& region);
Trial withoutRegion(Trial trial, const std::string& id);
/// Another baseline: regions, which lie in the baseline's pixels, go along. `alignment`: from the old baseline to the new one.
Trial withBaseline(Trial trial, const std::string& run, const Alignment& alignment);
/// A run goes, and its filter where no other run has it. Styles of the others stay.
Trial withoutRun(Trial trial, const std::string& run);
/// The regions of another trial of the same target, laid by `map` from its baseline to this one's; those that would fall outside `width` x `height` stay away.
Trial withRegionsOf(Trial trial, const Trial& other, const Alignment& map, int width, int height);

} // namespace caelumen
