#pragma once

#include "core/measure/unmasked_starlight.h"
#include "core/stars/background_mesh.h"

#include <vector>

namespace caelumen {

/// What a region of one plane holds: the star-masked, clipped mean, and where on the surface basis the pixels lie, so that any sky model
/// can be taken off later without the pixels.
struct RegionSum {
    double mean = 0;        ///< plane units
    double pixelSigma = 0;  ///< noise of one pixel here, from differences of pixels 6 apart (structure cancels)
    double starlight = 0;   ///< unmasked starlight that was taken off the mean
    double fillSigma = 0;   ///< doubt about the parts that stars hide whole
    double skew = 0;        ///< mean minus median of the pixels kept: light of stars too faint to be found
    std::size_t used = 0;   ///< pixels kept
    std::size_t inside = 0; ///< pixels of the region on the frame, hidden ones included
    SurfaceBasis basis;     ///< mean over the pixels kept
    SurfaceBasis whole;     ///< mean over all pixels of the region, hidden ones included
};

/// Pools the pixels of all the regions given. `structured` (nebula): pixels are clipped about the middle of their neighbourhood, so that bright filaments
/// stay; else (sky) about the middle of them all. A place hidden by a star counts with what is seen beside it.
/// The starlight that the mask leaves (`starlight`) is taken off.
RegionSum sumRegions(const Plane& plane, const Mask& mask, const UnmaskedStarlight& starlight, const PlaneView& view, const std::vector<const Region*>& regions,
                     bool structured);

/// The unmasked pixel values of regions, for a histogram; at most `limit` of them, evenly thinned.
std::vector<float> regionValues(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, std::size_t limit);

} // namespace caelumen
