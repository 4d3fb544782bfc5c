#pragma once

#include <vector>

namespace caelumen {

/// A disc of even light about a star, as a reflection makes it.
struct HaloDisc {
    double radius = 0, radiusSigma = 0;
    double height = 0, heightSigma = 0; ///< of its light
    double significance = 0;            ///< height over its error, everything else left free
};

/// Looks for discs in light against radius (value and error per ring, error 0 where nothing was seen) from ring `first` on: a matched filter, in which smooth light (a level
/// that bends with the square of the radius, and a wing falling with its third power: haze, or a star image a little wider) is left free together with the discs found before, so that neither
/// of these makes one. `blur` is the rms softness of an edge, in the units of `radius`; `hole` the part of the radius that an obstruction leaves dark.
/// From inside out; only what stands five sigmas out, by the whole disc and in part by its edge alone.
std::vector<HaloDisc> findHaloDiscs(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, std::size_t first, double blur, double hole);

} // namespace caelumen
