#pragma once

#include "core/image/plane.h"
#include "core/stars/mask.h"

namespace caelumen {

/// Sum of a square of pixels; NaN where one of them is hidden or has no data. The mask comes first: where stars are many, most boxes end there.
inline double boxSum(const Plane& plane, const Mask& mask, int x0, int y0, int side) {
    if (!mask.empty()) {
        unsigned hidden = 0; // no leaving early: a row is short, and branches are dear
        for (int y = y0; y < y0 + side && !hidden; ++y) {
            const std::uint8_t* flags = maskRow(mask, plane.width(), y) + x0;
            for (int x = 0; x < side; ++x) hidden |= flags[x];
        }
        if (hidden) return static_cast<double>(kNoData);
    }
    double sum = 0;
    for (int y = y0; y < y0 + side; ++y) {
        const float* row = plane.row(y) + x0;
        double part = 0;
        for (int x = 0; x < side; ++x) part += static_cast<double>(row[x]);
        sum += part;
    }
    return sum;
}

} // namespace caelumen
