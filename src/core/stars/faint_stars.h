#pragma once

#include "core/stars/background_mesh.h"
#include "core/stars/detect.h"

namespace caelumen {

struct Psf;

/// Signal to noise down to which stars are found and hidden, of the flux that a filter of the star image's own width collects.
inline constexpr double kFaintestStar = 4.5;
/// The same of stars that count.
inline constexpr double kCountedStar = 5.0;

/// Looks at the frame through a filter of the width of its star image (a matched filter: Turin 1960, IRE Trans. Inf. Theory 6, 311), which collects a star's
/// light instead of asking for bright single pixels. Stars that stand out of what surrounds them by kFaintestStar sigmas of the filtered noise, and are as
/// narrow as stars, join `stars`; those already in it get their `snr`. The noise is what the filtered frame itself scatters by below its median, so that
/// interpolated stacks have no false stars. `psf` may be null: then stars are taken to be three pixels wide. Keeps the order: brightest first, independent of
/// the number of threads.
void addFaintStars(const Plane& plane, const SmoothSky& sky, const Psf* psf, std::vector<Star>& stars);

} // namespace caelumen
