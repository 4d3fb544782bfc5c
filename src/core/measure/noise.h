#pragma once

#include "core/measure/plane_view.h"
#include "core/stars/background_mesh.h"

#include <vector>

namespace caelumen {

/// The mean of one square "empty aperture".
struct NoiseBox {
    Point centre; ///< plane pixels
    float mean = 0;
    bool inSky = false;      ///< wholly inside a sky region
    bool onGrid = false;     ///< one of the boxes that do not overlap each other
};

/// Side of the boxes in plane pixels: max(1, round(10 arcsec / scale)).
int boxSide(double arcsecPerPlanePixel);

/// Means of all star-free boxes of side k, at half-box steps (a quarter of them do not overlap). Boxes with any hidden or missing pixel are
/// left out; at most about 80 000 of each kind are kept, spread over the frame.
std::vector<NoiseBox> noiseBoxes(const Plane& plane, const Mask& mask, int k, const PlaneView& view, const std::vector<Region>& regions);

/// Standard deviation of unmasked pixels about the smooth sky, clipped at 3 sigma, inside the sky regions; without any, the median over places of 48 pixels across the frame.
double pixelNoise(const Plane& plane, const Mask& mask, const SmoothSky& sky, const PlaneView& view, const std::vector<Region>& regions);

} // namespace caelumen
