#pragma once

#include "core/stars/moffat.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace caelumen {

/// The frame's own star image: medians over bright, unsaturated, lonely stars. The core is the Moffat; from two FWHM outwards the
/// measured wings take over, because no formula holds there (aureole of optics and air).
struct Psf {
    Moffat unit;               ///< normalised to flux 1, at the origin, base 0
    Point split;               ///< as in PlaneGeometry
    std::vector<double> wings; ///< azimuthal median per unit flux at radius i pixels; stops where it drowns in noise
    /// Light per pixel and unit flux at an offset from the star's centre, pixels.
    double light(double dx, double dy) const;
    /// Its sum over offsets that lie within two FWHM, where the Moffat holds.
    double coreLight(const std::vector<Point>& offsets) const;
    /// Light at a radius, azimuthal mean.
    double lightAt(double radius) const;
    /// The same, but never less than the Moffat: where a crowded sky drowned the wings, they were measured too faint.
    double wingAt(double radius) const { return std::max(lightAt(radius), core(radius)); }
    /// Light within a radius, pixels, of a flux of 1.
    double enclosed(double radius) const;
    /// What an aperture of exact overlaps sums up of a flux of 1: a pixel on its edge counts by the part inside as if its light were even, though most of it
    /// lies nearer to the star. To second order that adds a 24th of the light's slope around the edge (pixels of side 1).
    double inAperture(double radius) const { return enclosed(radius) + 2 * M_PI * radius / 24 * (lightAt(radius + 0.1) - lightAt(radius - 0.1)) / 0.2; }
    /// How far out the star image is known, pixels.
    double reach() const { return std::max(3 * fwhm, static_cast<double>(wings.size()) - 1); }
    /// The Moffat alone, azimuthal mean.
    double core(double radius) const;
    double fwhm = 0, fwhmSigma = 0; ///< plane pixels
    double eccentricity = 0, eccentricitySigma = 0;
    std::size_t stars = 0;      ///< how many it rests on
    std::optional<double> tilt; ///< FWHM of the worst corner over the centre
    double tiltSigma = 0;
    struct Width {
        Point at;        ///< plane pixels
        double fwhm = 0; ///< plane pixels
    };
    std::vector<Width> widths;          ///< of the stars that it rests on
    double growth = 0, growthSigma = 0; ///< d ln FWHM / d ln amplitude: 0 for linear data, well above for stretched
};
/// Rests on up to 17 stars of each ninth of the frame, so that all of it is heard.
std::optional<Psf> measurePsf(const Plane& plane, const std::vector<Star>& stars, const SmoothSky& sky, Point split = {});

} // namespace caelumen
