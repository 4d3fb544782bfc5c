#pragma once

#include "core/base/fetch_ahead.h"
#include "core/base/pixel_rows.h"
#include "core/image/plane.h"
#include "core/stars/mask.h"

#include <algorithm>

namespace caelumen {

/// Sum of a square of pixels; NaN where one of them is hidden or has no data. The mask comes first: where stars are many, most boxes end there.
inline double boxSum(const Plane& plane, const Mask& mask, int x0, int y0, int side) {
    if (!mask.empty()) {
        bool hidden = false;
        for (int x = 0; x < side; x += Flags::kTogether) hidden = hidden || mask.hidesAny(x0 + x, y0, std::min(side - x, Flags::kTogether), side);
        if (hidden) return static_cast<double>(kNoData);
    }
    return rows::squareSum(plane.row(y0) + x0, plane.width(), side);
}

/// Asks for the pixels of such a square, as far as it lies in the plane.
[[gnu::always_inline]] inline void fetchBox(const Plane& plane, int x0, int y0, int side) {
    if (x0 < 0 || x0 + side > plane.width()) return;
    for (int y = std::max(0, y0), end = std::min(plane.height(), y0 + side); y < end; ++y) fetchRow(plane.row(y), x0, x0 + side);
}
inline constexpr int kBoxesAhead = 12; ///< so many places further on: most are done at once

} // namespace caelumen
