#pragma once

#include <vector>

namespace caelumen {

/// How much of a disc's light reaches a radius: 1 within, 0 in its hole and beyond its edge, softened by `blur` (rms).
double discLight(double r, double edge, double hole, double blur);

/// A disc or ring of even light about a star, as a reflection makes it.
struct HaloDisc {
    double radius = 0, radiusSigma = 0; ///< of its outer edge
    double hole = 0, holeSigma = 0;     ///< inner edge over outer edge
    double holeMost = 0;                ///< three sigmas above: all there is where nothing of the hole is seen
    bool holeSeen = false;              ///< else `hole` is what was expected of it
    double height = 0, heightSigma = 0; ///< of its light
    double lightSigma = 0;              ///< part of its light (height times area) by which that errs: height and hole go together
    double significance = 0;            ///< height over its error, everything else left free
};

/// What is to be looked for.
struct HaloSearch {
    std::size_t first = 0;  ///< ring from which on the star itself hides nothing
    double blur = 1;        ///< rms softness of an edge, in the units of `radius`
    double hole = 0;        ///< expected: what an obstruction leaves dark of a ghost
    double limitRadius = 0; ///< of the disc that a limit is wanted for where none is found
};
struct HaloFound {
    std::vector<HaloDisc> discs;                  ///< from inside out
    double blur = 0;                              ///< of their edges, as it fits best
    double unexplained = 0, unexplainedSigma = 0; ///< height of the most striking shape that is no disc: without an edge all round
    double unexplainedRadius = 0;
    double limit = 0, limitSigma = 0; ///< height of a disc of the wanted size beside the smooth light, where no disc was found
    double structure = 1;             ///< how large discs seem, in their errors, where none is: above one where nebula makes shapes of its own
};

/// Looks for discs and rings in light against radius (value and error per ring, error 0 where nothing was seen): a matched filter over outer edges and holes
/// from 0 to 0.95 of them, in which smooth light (a level that bends with the square of the radius, and a wing falling with its third power: haze, or a star
/// image a little wider) is left free together with the discs found before, so that neither of these makes one. Only what stands five sigmas out, by the whole
/// shape and in part by its outer edge alone; holes, edges and softness are then fitted together.
HaloFound findHaloDiscs(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, const HaloSearch& search);

} // namespace caelumen
