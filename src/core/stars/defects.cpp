#include "core/stars/defects.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

bool isHotAmong(const Plane& plane, double level, int x, int y) {
    const auto v = [&](int a, int b) { return std::isfinite(plane.at(a, b)) ? static_cast<double>(plane.at(a, b)) - level : 0.0; };
    const double a = v(x - 1, y), b = v(x + 1, y), c = v(x, y - 1), d = v(x, y + 1);
    const double middle = std::max(std::min(a, b), std::min(c, d)) + std::min(std::max(a, b), std::max(c, d)); // of the four, those between the extremes
    return middle < 0.2 * v(x, y);
}

void markDefects(Plane& plane, const Defects& known) {
    for (const std::size_t at : known.places) plane.data()[at] = kNoData;
}

} // namespace caelumen
