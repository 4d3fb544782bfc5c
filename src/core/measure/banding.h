#pragma once

#include "core/stars/background_mesh.h"

#include <vector>

namespace caelumen {

/// Rows or columns that are brighter or darker than their neighbours all along.
struct Banding {
    double variance = 0, sigma = 0; ///< of the bands' levels (plane units squared) and its error; the variance may come out negative
    bool valid = false;
    std::vector<float> levels; ///< of each line, above what surrounds it, plane units; NaN where too little of it is seen
};

struct BandingPair {
    Banding rows, columns;
};

/// Levels of rows and columns above the smooth sky, clipped at 3 sigma of a pixel, with structure longer than 64 pixels removed. Each is taken twice, from
/// alternating stretches of 64 pixels: what both halves share is banding, whatever the noise is like. Large frames are looked at in part.
BandingPair measureBanding(const Plane& plane, const Mask& mask, const SmoothSky& sky, double pixelNoise);

} // namespace caelumen
