#pragma once

#include "core/stars/patch_mask.h"
#include "core/stars/psf.h"

namespace caelumen {

/// Flux of a star from its *unsaturated* pixels: the frame's star image scaled to them with a free constant beneath, all
/// pixels within `radius` that are finite, below `saturation` and not hidden in `mask`. The centre is fitted too.
struct ScaledStar {
    double flux = 0, sigma = 0; ///< plane units
    Point centre;
    std::size_t pixels = 0;
};
std::optional<ScaledStar> scalePsf(const Plane& plane, const Psf& psf, Point guess, double radius, double saturation, const PatchMask& mask);

} // namespace caelumen
