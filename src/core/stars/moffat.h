#pragma once

#include "core/stars/detect.h"

#include <optional>

namespace caelumen {

/// An elliptical Moffat profile (Moffat 1969, A&A 3, 455): I(q) = amplitude * (1 + q)^-beta + base,
/// q = cxx dx^2 + 2 cxy dx dy + cyy dy^2, sampled at pixel centres. Plane pixels, stored units.
struct Moffat {
    double amplitude = 0, x = 0, y = 0, base = 0; ///< heights in plane units; the centre in plane pixels
    double cxx = 0.2, cxy = 0, cyy = 0.2, beta = 3;

    double shape(double dx, double dy) const;
    /// The same as a pixel sees it that is the mean of two sites at +-split.
    double shape(double dx, double dy, Point split) const {
        return split.x == 0 && split.y == 0 ? shape(dx, dy) : 0.5 * (shape(dx + split.x, dy + split.y) + shape(dx - split.x, dy - split.y));
    }
    double flux() const;         ///< integral of the profile without the base; needs beta > 1
    double fwhm() const;         ///< geometric mean of both axes, pixels
    double eccentricity() const; ///< sqrt(1 - (b/a)^2)
};

/// Least-squares fit (Levenberg-Marquardt) of a Moffat to the unmasked pixels around a star, within about 3 FWHM. Nothing comes back
/// when the star is saturated, cut by the border, or the fit does not settle. Centre to 0.03 px and FWHM to 2 % for SNR > 50.
/// `split`: as in PlaneGeometry; the profile that comes back is that of the light, not of the averaged pixels.
std::optional<Moffat> fitMoffat(const Plane& plane, const Star& star, double sigma, Point split = {});

} // namespace caelumen
