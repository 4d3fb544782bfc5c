#pragma once

#include "core/image/plane.h"

#include <array>
#include <optional>
#include <string>

namespace caelumen {

/// A 2x2 colour mosaic as it lies in *stored* pixel order: colour of stored pixel (x, y) is cell[y & 1][x & 1],
/// 0 red, 1 green, 2 blue.
struct MosaicPattern {
    std::array<std::array<int, 2>, 2> cell{};
    std::string name; ///< four letters of the stored first row and second row, as "RGGB"
};

/// The stored pattern from the header's words. `bayerpat` is for the picture seen top row first; offsets move it; when
/// `bottomUp` the first stored row is the bottom one, so that pattern rows count from the last stored row.
/// Nothing comes back for words that are not two greens on a diagonal with one red and one blue.
std::optional<MosaicPattern> mosaicPattern(const std::string& bayerpat, int xOffset, int yOffset, bool bottomUp, int height);

/// One colour's plane out of a mosaic, (width/2) x (height/2), never interpolated; the two greens of a cell are averaged.
/// A cell of which a needed site is NaN is NaN.
Plane mosaicPlane(const Plane& stored, const MosaicPattern& pattern, int colour);

/// Where that plane's pixel centres lie in the stored frame.
PlaneGeometry mosaicGeometry(const MosaicPattern& pattern, int colour);

} // namespace caelumen
