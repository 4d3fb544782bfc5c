#pragma once

#include "core/image/plane.h"

#include <cstddef>
#include <vector>

namespace caelumen {

/// Light in one pixel only (its four neighbours nearly dark): no telescope makes that.
bool isHotPixel(const Plane& plane, double level, int x, int y);

/// Pixels that the sky cannot have made (lookOver finds them).
struct Defects {
    std::vector<std::size_t> places; ///< indices of pixels, in order
    std::size_t count() const { return places.size(); }
};
/// Turns them into NaN.
void markDefects(Plane& plane, const Defects& known);

} // namespace caelumen
