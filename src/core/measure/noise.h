#pragma once

#include "core/measure/unmasked_starlight.h"
#include "core/stars/background_mesh.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <vector>

namespace caelumen {

/// The mean of one square "empty aperture". Small, for a trial keeps a hundred thousand of each plane.
struct NoiseBox {
    static constexpr unsigned kPlaceBits = 15;
    float mean = 0;                                       ///< of its pixels, plane units
    std::uint32_t i : kPlaceBits = 0, j : kPlaceBits = 0; ///< place in steps of half a box (halfBox)
    std::uint32_t inSky : 1 = 0;                          ///< wholly inside a sky region
    std::uint32_t onGrid : 1 = 0;                         ///< one of the boxes that do not overlap each other
    Point centre(int side) const;                         ///< plane pixels
    int column() const { return static_cast<int>(i); }
    int row() const { return static_cast<int>(j); }
};

/// Boxes row by row, from left to right; those in the sky regions lie closer than the others.
struct NoiseBoxes {
    std::vector<NoiseBox> all;
    std::array<int, 2> beside{2, 2}; ///< of the others, and in the sky: steps to the next one that does not overlap
    std::array<int, 2> apart{3, 3};  ///< to the next one that does not share noise either, where interpolation has spread it
    std::size_t onGrid() const;
};

/// Steps from one box of side k to the next, plane pixels.
inline int halfBox(int k) {
    return std::max(1, k / 2);
}
inline Point NoiseBox::centre(int side) const {
    const int half = halfBox(side);
    return {column() * half + 0.5 * (side - 1), row() * half + 0.5 * (side - 1)};
}

/// Side of the boxes in plane pixels: max(1, round(10 arcsec / scale)); 5 where the scale is not known.
int boxSide(std::optional<double> arcsecPerPlanePixel);

/// Means of all star-free boxes of side k, at half-box steps (a quarter of them do not overlap). Boxes with any hidden or missing pixel are
/// left out; at most about 80 000 of each kind are kept, spread over the frame. The starlight that the mask leaves (`starlight`) is taken off.
NoiseBoxes noiseBoxes(const Plane& plane, const Mask& mask, int k, const PlaneView& view, const std::vector<Region>& regions,
                      const UnmaskedStarlight& starlight = {});

/// Scatter of box means, and how many independent boxes it rests on.
struct BoxScatter {
    double sigma = 0, boxes = 0; ///< of a box's mean, plane units; effective number
};

/// Scatter free of whatever varies smoothly: from each box minus the mean of its two neighbours, along rows and columns. Where too few have neighbours, the
/// scatter of the means themselves. Boxes that touch share the noise that interpolation has spread over their border, which would pass for something smooth:
/// where they scatter more than `pixelNoise` lets expect, neighbours are taken a little apart.
BoxScatter boxScatter(const NoiseBoxes& boxes, int side, double pixelNoise);

/// Pixels from one box to the next that shares neither pixels nor interpolated noise with it.
int apartPixels(int side);

/// Scatter of single pixels.
struct PixelNoise {
    double value = 0;        ///< standard deviation of a pixel, plane units
    std::size_t samples = 0; ///< independent ones it rests on
    double sigma() const { return samples > 0 ? value / std::sqrt(2.0 * static_cast<double>(samples)) : 0; }
};

/// Noise of unmasked pixels from the differences of pixels six apart (so that any sky or nebula cancels and interpolation is forgotten), clipped at 3 sigma,
/// inside the sky regions, less the slope of the sky where that is given; without any, the median over places of 32 pixels, evenly across the frame, each from
/// the differences of such differences down and across. Where there are enough, only pixels two and more away from any mask.
PixelNoise pixelNoise(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<Region>& regions, const SmoothSky* sky = nullptr);

} // namespace caelumen
