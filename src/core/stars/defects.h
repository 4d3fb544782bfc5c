#pragma once

#include "core/image/plane.h"

#include <cstddef>
#include <limits>
#include <vector>

namespace caelumen {

/// What isHotPixel asks of a pixel within the border whose neighbours are not all bright.
bool isHotAmong(const Plane& plane, double level, int x, int y);
/// Light in one pixel only (its four neighbours nearly dark): no telescope makes that.
inline bool isHotPixel(const Plane& plane, double level, int x, int y) {
    if (x < 1 || y < 1 || x >= plane.width() - 1 || y >= plane.height() - 1) return false;
    const float* const here = plane.row(y) + x;
    const float left = here[-1], right = here[1], above = here[-plane.width()], below = here[plane.width()];
    const double enough = level + 0.101 * (static_cast<double>(here[0]) - level); // two such ones are more than a fifth of the pixel; no number is never enough
    const auto isEnough = [&](float v) { return static_cast<double>(v) >= enough && v <= std::numeric_limits<float>::max(); };
    if (static_cast<double>(here[0]) > level && isEnough(left) && isEnough(right) && isEnough(above) && isEnough(below)) return false;
    return isHotAmong(plane, level, x, y);
}

/// Pixels that the sky cannot have made (lookOver finds them).
struct Defects {
    std::vector<std::size_t> places; ///< indices of pixels, in order
    std::size_t count() const { return places.size(); }
};
/// Turns them into NaN.
void markDefects(Plane& plane, const Defects& known);

} // namespace caelumen
