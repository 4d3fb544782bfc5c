#pragma once

#include "core/image/sky_coordinates.h"
#include "core/stars/alignment.h"

#include <optional>

namespace caelumen {

/// The alignment that the headers' sky coordinates of two frames promise: fitted to a grid over the baseline's width x height. `matched` is 0, since no star
/// had a say.
std::optional<Alignment> alignmentFromWcs(const SkyCoordinates& baseline, const SkyCoordinates& run, int width, int height);

/// Largest distance, over the corners and the middle of the baseline's frame, between where two alignments lead; run pixels.
double distanceBetween(const Alignment& a, const Alignment& b, int width, int height);

} // namespace caelumen
