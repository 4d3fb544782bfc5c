#pragma once

#include "core/base/pixel_rows.h"
#include "core/image/plane.h"

#include <vector>

namespace caelumen {

/// Largest finite values of blocks of rows, -infinity for one without any.
struct BlockMaxima {
    static constexpr int kRows = 64;
    std::vector<float> ofBlock;

    float maximum() const;
};
BlockMaxima blockMaxima(const Plane& plane);

/// How many values reach `low`, and how many of these `high`; only blocks are looked at whose top does.
rows::Counts countAbove(const Plane& plane, const BlockMaxima& maxima, float low, float high);

/// From stored values to others: (v - zero) * factor.
struct Rescale {
    float zero = 0, factor = 1;
    bool isNone() const { return zero == 0 && factor == 1; }
};

} // namespace caelumen
