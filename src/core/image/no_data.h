#pragma once

#include "core/image/plane.h"
#include "core/image/plane_scan.h"

#include <cstdint>
#include <vector>

namespace caelumen {

/// Turns into NaN what is no data: infinities, and connected areas (64 pixels and more) of exact zeros, which are the rims and
/// holes that registration leaves. Where the picture itself sits at zero (its median within three of its own noise of it), only
/// such areas that touch the border count, since dark sky then has zeros of its own.
void markNoData(Plane& plane);

/// The same in two steps, for a reader that has each row at hand while it is in the cache: the exact zeros of a row, infinities becoming NaN on the
/// way and the row scaled; then the areas, from the zeros of all rows, when each of them is `zero` by now.
std::int64_t zerosOfRow(float* row, int width, Rescale by = {});
void markNoData(Plane& plane, const std::vector<std::int64_t>& zeros, float zero = 0);

} // namespace caelumen
