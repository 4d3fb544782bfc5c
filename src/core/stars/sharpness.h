#pragma once

#include "core/stars/psf.h"

namespace caelumen {

/// Leaves only what is as sharp as a star: the middle must stand out of a ring at one and a half FWHM, which knots and filaments of nebula do not.
/// Gives every unsaturated star that stays the flux that its middle asks for, free of the nebula beneath.
void keepSharp(const Plane& plane, std::vector<Star>& stars, const Psf& psf, double noise);

} // namespace caelumen
