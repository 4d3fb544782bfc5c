#pragma once

#include <limits>

namespace caelumen {

/// The saturation level of planes of which no pixel is burnt, or which do not say so: colours that were worked out, differences of channels.
inline constexpr double kNeverSaturated = std::numeric_limits<double>::infinity();

} // namespace caelumen
