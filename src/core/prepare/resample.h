#pragma once

#include "core/image/plane.h"
#include "core/stars/alignment.h"

#include <cstdint>
#include <limits>

namespace caelumen {

/// Rows of a lattice in memory: rows y0 to y0 + rows - 1, `width` values each.
struct RowBand {
    const float* data = nullptr;
    int width = 0, y0 = 0, rows = 0;
    const float* row(int y) const { return data + static_cast<std::size_t>(y - y0) * static_cast<std::size_t>(width); }
    bool has(int y) const { return y >= y0 && y < y0 + rows; }
};

/// Where a sub reaches a pixel of a stack but is not among its values.
inline constexpr float kPassedOver = std::numeric_limits<float>::infinity();

/// Adds `weight` times one output row, taken from `from` at to(x, y) for x = 0 .. width-1, to `out`: Lanczos interpolation over six pixels each way (Duchon
/// 1979, J. Appl. Meteor. 18, 1016), which keeps stars sharp that are hardly sampled; whole-pixel shifts are copied as they are. Places whose neighbourhood is
/// not all there become NaN. `known`: 1 for pixels that are not looked at, or null; stretches of nothing else become kPassedOver.
void resampleRow(const RowBand& from, const Alignment::Affine& to, int y, int width, float weight, float* out, const std::uint8_t* known = nullptr);

/// The sum of the squared weights of that interpolation, mean over the frame: what it does to the variance of white noise.
double noiseKept(const Alignment::Affine& to, int width, int height);

/// First and one past the last row of a lattice of `height` rows that output rows y0 to y1 - 1 need.
std::pair<int, int> rowsNeeded(const Alignment::Affine& to, int width, int y0, int y1, int height);

} // namespace caelumen
