#pragma once

#include "core/stars/detect.h"
#include "core/stars/patch_mask.h"

#include <algorithm>
#include <optional>
#include <vector>

namespace caelumen {

/// An elliptical Moffat profile (Moffat 1969, A&A 3, 455): I(q) = amplitude * (1 + q)^-beta + base,
/// q = cxx dx^2 + 2 cxy dx dy + cyy dy^2, sampled at pixel centres. Plane pixels, stored units.
struct Moffat {
    double amplitude = 0, x = 0, y = 0, base = 0;
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

/// The frame's own star image: medians over bright, unsaturated, lonely stars. The core is the Moffat; from two FWHM outwards the
/// measured wings take over, because no formula holds there (aureole of optics and air).
struct Psf {
    Moffat unit;                 ///< normalised to flux 1, at the origin, base 0
    Point split;                 ///< as in PlaneGeometry
    std::vector<double> wings;   ///< azimuthal median per unit flux at radius i pixels; stops where it drowns in noise
    /// Light per pixel and unit flux at an offset from the star's centre, pixels.
    double light(double dx, double dy) const;
    /// The same at a radius, azimuthal mean.
    double lightAt(double radius) const;
    /// The same, but never less than the Moffat: where a crowded sky drowned the wings, they were measured too faint.
    double wingAt(double radius) const { return std::max(lightAt(radius), core(radius)); }
    /// Light within a radius, pixels, of a flux of 1.
    double enclosed(double radius) const;
    /// How far out the star image is known, pixels.
    double reach() const { return std::max(3 * fwhm, static_cast<double>(wings.size()) - 1); }
    /// The Moffat alone, azimuthal mean.
    double core(double radius) const;
    double fwhm = 0, fwhmSigma = 0;
    double eccentricity = 0, eccentricitySigma = 0;
    std::size_t stars = 0;       ///< how many it rests on
    std::optional<double> tilt;  ///< FWHM of the worst corner over the centre
    double tiltSigma = 0;
    double growth = 0, growthSigma = 0; ///< d ln FWHM / d ln amplitude: 0 for linear data, well above for stretched
};
/// Rests on up to 17 stars of each ninth of the frame, so that all of it is heard.
std::optional<Psf> measurePsf(const Plane& plane, const std::vector<Star>& stars, const SmoothSky& sky, Point split = {});

/// Leaves only what is as sharp as a star: the middle must stand out of a ring at one and a half FWHM, which knots and filaments of nebula do not.
/// Gives every unsaturated star that stays the flux that its middle asks for, free of the nebula beneath.
void keepSharp(const Plane& plane, std::vector<Star>& stars, const Psf& psf, double noise);

/// Flux of a star from its *unsaturated* pixels: the frame's star image scaled to them with a free constant beneath, all
/// pixels within `radius` that are finite, below `saturation` and not hidden in `mask`. The centre is fitted too.
struct ScaledStar {
    double flux = 0, sigma = 0;
    Point centre;
    std::size_t pixels = 0;
};
std::optional<ScaledStar> scalePsf(const Plane& plane, const Psf& psf, Point guess, double radius, double saturation, const PatchMask& mask);

} // namespace caelumen
