#pragma once

#include "core/image/plane.h"

namespace caelumen {

/// What is likely to lie beneath the noise of a plane, for pictures as from more time alone: detail of each scale is kept as far as it stands out of the noise
/// there (undecimated B3-spline wavelets of five scales, Starck & Murtagh 1994, A&A 288, 342; local Wiener shrinkage, Mihcak et al. 1999, IEEE Sig. Proc. Lett.
/// 6, 300). What lies deeper than the noise cannot be known: it is not made up. `apart`: noise like the plane's own, of its size, from which the noise of each
/// scale is taken. NaN stays.
Plane foretoldLight(const Plane& plane, const Plane& apart);

/// Noise as strong as a plane's own where its halves are not known: of the sky's pixels, and beyond the sky of the light's own electrons. Plane units are e-/s.
Plane madeUpNoise(const Plane& plane, double noise, double sky, double total_s, unsigned long long seed);

} // namespace caelumen
