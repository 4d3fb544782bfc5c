#pragma once

#include "core/base/pixel_rows.h"
#include "core/image/plane.h"

namespace caelumen {

/// Largest finite value of a plane, -infinity without any.
float topOf(const Plane& plane);

/// How many values reach `low`, and how many of these `high`.
rows::Counts countAbove(const Plane& plane, float low, float high);

/// In place: (v - zero) * factor.
void rescale(Plane& plane, float zero, float factor);

} // namespace caelumen
