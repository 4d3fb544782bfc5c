#pragma once

#include "core/image/plane_scan.h"
#include "core/stars/background_mesh.h"

namespace caelumen {

/// Light in one pixel only (its four neighbours nearly dark): no telescope makes that.
bool isHotPixel(const Plane& plane, double level, int x, int y);

/// Turns pixels into NaN that the sky cannot have made: light in one pixel alone (hot pixels, small cosmic-ray hits), and pixels eight sigmas below the sky
/// (dead ones, whole columns of them).
struct Defects {
    std::vector<std::size_t> places; ///< indices of pixels, in order
    std::size_t count() const { return places.size(); }
    BlockMaxima maxima; ///< of what stays; a block without anything eight sigmas above the sky has none
};
Defects markDefects(Plane& plane, const SmoothSky& sky);
/// The same in a plane that was read anew.
void markDefects(Plane& plane, const Defects& known);

} // namespace caelumen
