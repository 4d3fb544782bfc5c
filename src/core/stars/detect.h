#pragma once

#include "core/image/plane_scan.h"
#include "core/stars/background_mesh.h"
#include "core/stars/first_look.h"
#include "core/stars/saturation.h"

#include <vector>

namespace caelumen {

struct Star {
    double x = 0, y = 0; ///< centroid, plane pixels
    double flux = 0;     ///< above the local sky, inside the detection isophote
    double peak = 0;     ///< brightest pixel above the local sky
    double rim = 0;      ///< light at the edge of the isophote: the detection threshold there
    double level = 0;    ///< local sky
    double reach = 0;    ///< of its farthest pixel from the centroid
    double a = 0, b = 0; ///< rms along the major and minor axis, pixels
    double snr = 0;      ///< of its matched-filter flux (see faint_stars.h)
    int area = 0;        ///< pixels of the isophote
    bool above5 = false; ///< five of its pixels (3x3-smoothed) stand above 5 sigma
    bool saturated = false;
    bool blended = false;
    bool faint = false; ///< seen by the matched filter alone: flux and place from there, nothing known of its shape
};

inline constexpr double kDetected = 4.0; ///< local sigmas

/// Finds stars on the plane minus `sky`: 3x3 smoothing, at least 5 connected pixels above kDetected (Bertin & Arnouts 1996, A&AS 117, 393), which are `bright`,
/// deblended by the tree of their level sets. Hot pixels and cosmic-ray hits (light in a single pixel) and objects much larger than stars are left out.
/// Pixels at or above `saturation` (plane units) are saturated. Sorted by flux, brightest first; independent of the number of threads. No second copy of the
/// plane is made.
std::vector<Star> detectStars(const Plane& plane, const SmoothSky& sky, const std::vector<BrightRun>& bright, double saturation = kNeverSaturated);

/// The star that a person means by a place: the nearest within `reach`, a saturated one drawing the eye by four pixels. Null without any.
const Star* starNear(const std::vector<Star>& stars, Point place, double reach);

/// The level at which this plane saturates, stored units: the lowest of full scale, the full well, and a plateau shared by the
/// brightest pixels of several stars. `known` is the limit known from the camera, or infinity.
double saturationLevel(const Plane& plane, double known, const BlockMaxima& maxima);

} // namespace caelumen
