#pragma once

#include "core/measure/plane_view.h"
#include "core/measure/unmasked_starlight.h"

#include <optional>
#include <vector>

namespace caelumen {

/// Places on the sky at which all runs put the same boxes: a square grid in the baseline's stored pixels, thinned on huge frames.
struct StructureGrid {
    static constexpr int kApart = 2; ///< steps to the next box that shares no noise with it
    double step = 0;                 ///< between neighbours, baseline stored pixels
    int across = 0, down = 0;

    /// Boxes of which every second one lies `apart` pixels (apartPixels) or farther from the last, at most some hundred thousand.
    static StructureGrid over(int width, int height, int apart);
    Point centre(int i, int j) const { return {(i + 0.5) * step - 0.5, (j + 0.5) * step - 0.5}; }
    std::size_t size() const { return static_cast<std::size_t>(across) * static_cast<std::size_t>(down); }
};

/// Means of boxes of side k (plane pixels) at the grid's places, each at the nearest whole pixels; NaN where a pixel is hidden, missing or beyond the frame.
/// Starlight that the mask leaves (`starlight`) is taken off.
std::vector<float> structureBoxes(const Plane& plane, const Mask& mask, int k, const PlaneView& view, const StructureGrid& grid,
                                  const UnmaskedStarlight& starlight);

/// The boxes of one plane with what is needed to hold them against those of others.
struct StructurePlane {
    std::size_t run = 0; ///< planes of one run share noise, so that only those of different runs are compared
    const std::vector<float>* boxes = nullptr;
    int channel = 0;  ///< planes of different channels show other light, and are not compared; negative: any
    double light = 0; ///< what the plane shows of a star's light in one box, in any unit that is the same for all; 0: unknown
};

/// The variance of a plane's box means, taken apart.
struct Structure {
    double variance = 0, sigma = 0;   ///< no noise, since it repeats from run to run: stars too faint to hide, gas, galaxies; may be negative within its error
    double noise = 0, noiseSigma = 0; ///< what is left of the same boxes
};

/// What repeats: the covariance of the same boxes (each less the mean of those around it, so that whatever is smooth cancels) between planes of different runs,
/// scaled by the light that each passes, the mean of all pairs by their errors. Noise is what is left of the very boxes that the covariance was taken from, so
/// that it does not matter which stars happen to lie in them. Where pairs disagree, or light of other colours repeats otherwise, the error grows. Nothing for a
/// plane whose light, or whose fellows, are not known.
std::vector<std::optional<Structure>> findStructure(const std::vector<StructurePlane>& planes, const StructureGrid& grid);

} // namespace caelumen
