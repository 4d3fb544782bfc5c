#pragma once

#include "core/optics/curve.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

/// How far a curve lies from the truth in transmission at worst, where half a nanometre to either side is allowed.
template<class Truth>
double worstMiss(const Curve& curve, const Truth& truth, double from_nm, double to_nm) {
    double worst = 0;
    for (double nm = from_nm; nm < to_nm; nm += 0.25) {
        double least = 1;
        for (double d = -0.5; d <= 0.5; d += 0.05) least = std::min(least, std::abs(curve.at(nm) - truth(nm + d)));
        worst = std::max(worst, least);
    }
    return worst;
}

} // namespace caelumen
