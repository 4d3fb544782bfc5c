#pragma once

#include "core/base/fetch_ahead.h"
#include "core/base/pixel_rows.h"
#include "core/image/plane.h"
#include "core/stars/mask.h"

#include <cstring>

namespace caelumen {

/// Sum of a square of pixels; NaN where one of them is hidden or has no data. The mask comes first: where stars are many, most boxes end there.
inline double boxSum(const Plane& plane, const Mask& mask, int x0, int y0, int side) {
    for (int y = y0; y < y0 + side; ++y) fetchOn(plane.row(y) + x0, 1); // the next boxes lie there
    if (!mask.empty()) {
        std::uint64_t hidden = 0; // no leaving a row early: it is short, and branches are dear
        for (int y = y0; y < y0 + side && !hidden; ++y) {
            const std::uint8_t* flags = maskRow(mask, plane.width(), y) + x0;
            fetchOn(flags, 1);
            const auto together = [&]<class T>(T all, int x) {
                std::memcpy(&all, flags + x, sizeof all);
                return all;
            };
            if (side >= 8) {
                for (int x = 0; x + 8 < side; x += 8) hidden |= together(std::uint64_t{}, x);
                hidden |= together(std::uint64_t{}, side - 8);
            } else if (side >= 4) {
                hidden |= together(std::uint32_t{}, 0) | together(std::uint32_t{}, side - 4);
            } else {
                for (int x = 0; x < side; ++x) hidden |= flags[x];
            }
        }
        if (hidden) return static_cast<double>(kNoData);
    }
    return rows::squareSum(plane.row(y0) + x0, plane.width(), side);
}

} // namespace caelumen
