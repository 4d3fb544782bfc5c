#pragma once

#include "core/stars/detect.h"

namespace caelumen {

/// Straight lines of light across a plane, as satellites and aircraft draw them: pixels of a coarser picture (2x2 or more) that stand out of the sky beside the
/// stars vote for the lines through them (Hough transform; Duda & Hart 1972, CACM 15, 11); a line counts when far more vote for it than chance lets expect and
/// they lie along a good part of it.
int countTrails(const Plane& plane, const SmoothSky& sky, const std::vector<Star>& stars, double fwhm);

} // namespace caelumen
