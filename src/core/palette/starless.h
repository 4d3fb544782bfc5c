#pragma once

#include "core/image/plane.h"
#include "core/measure/harvest.h"

namespace caelumen {

/// A plane without its stars: what each star hides is filled from its rim, smoothly, so that nebula and sky go on beneath (pyramid fill, then relaxation of
/// Laplace's equation); wings and rings of bright stars beyond their discs are taken off by their own azimuthal medians. Noise of the surroundings is put into
/// the filled places, so that no smooth discs are left. `noise` 0: none is put in. Plane units.
struct Starless {
    Plane ground;             ///< without stars
    std::vector<Point> stars; ///< that were taken out
    std::vector<float> radii; ///< to where each was hidden
};
Starless withoutStars(const Plane& plane, const PlaneStars& stars, double noise, unsigned long long seed = 11);

/// Burnt-out stars so large that nobody takes them for stars: flat tops as bright as anything in the plane. They join the list.
void addBurntOut(const Plane& plane, PlaneStars& stars);

/// Whether the stars of a frame lie so that they are knots of a galaxy: most of the light of its objects belongs to one bright, wide middle. For the sentence
/// that refuses it.
bool looksLikeGalaxy(const Plane& plane, const PlaneStars& stars);

} // namespace caelumen
