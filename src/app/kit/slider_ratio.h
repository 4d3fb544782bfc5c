#pragma once

#include <algorithm>
#include <cmath>

namespace caelumen {

// The slider of the cone goes by the logarithm: a step is one per cent of the f-ratio.
constexpr double kFastestRatio = 1, kSlowestRatio = 32;
inline int positionOf(double fRatio) {
    return static_cast<int>(std::lround(100 * std::log(std::clamp(fRatio, kFastestRatio, kSlowestRatio) / kFastestRatio)));
}
inline double ratioAt(int position) {
    return kFastestRatio * std::exp(position / 100.0);
}

} // namespace caelumen
