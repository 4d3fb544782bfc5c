#pragma once

#include "core/image/plane.h"
#include "core/stars/detect.h"
#include "core/stars/mask.h"

namespace caelumen {

/// Takes off what the aureole of a very bright star has beyond its disc and its image. Its radial profile is fitted as what falls
/// steeply about the star (an inverse square and an exponential, neither negative) on what goes on smoothly (even powers of the radius up to the fourth): a
/// nebula is of the second kind, whatever the star lies on. Nothing is taken where the steep part does not explain most of the profile, and never
/// more than down to the darkest that lies further out. `disc`: radius of what is
/// hidden, pixels; `noise`: of a pixel.
void takeAureole(Plane& plane, const Mask& mask, const Star& star, double disc, double noise);

} // namespace caelumen
