#pragma once

#include "core/base/job.h"
#include "core/model/trial.h"
#include "core/stars/alignment.h"

namespace caelumen {

/// Whether two trials are of one target: by coordinates within half a degree where both have them, else by name, letter case and spaces apart.
bool sameTarget(const Target& a, const Target& b);

/// From the baseline's pixels of one trial to those of another of the same field: by the sky coordinates of both headers, else by their stars. An Error says
/// why the two cannot be brought together.
Result<Alignment> alignmentBetween(const Trial& from, const Trial& to, const Job& job = {});

} // namespace caelumen
