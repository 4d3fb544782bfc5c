#pragma once

#include <cstddef>
#include <vector>

namespace caelumen {

/// A pixel above the detection threshold.
struct BrightPixel {
    int x = 0, y = 0;
    float value = 0;    ///< above the sky
    float smoothed = 0; ///< the same after 3x3 smoothing
};

struct DeblendOptions {
    double contrast = 0.005; ///< part of the whole's light that a branch needs above its saddle
    double noise = 0;        ///< of an unsmoothed pixel
    std::size_t leastPixels = 5;
};

/// Parts a connected set of bright pixels into objects by the tree of its level sets (the exact form of the multiple thresholds of Bertin & Arnouts 1996,
/// A&AS 117, 393): a branch is an object of its own when above the saddle to its brighter neighbour it holds `contrast` of the whole's light and stands out
/// of the noise, or when it stands out of it clearly by itself. Pixels below a saddle go with their brightest neighbour. Gives the object of each pixel,
/// 0 .. count-1; 0 for all when there is one. `pixels` keeps its order.
std::vector<int> deblend(const std::vector<BrightPixel>& pixels, const DeblendOptions& options, int& count);

} // namespace caelumen
