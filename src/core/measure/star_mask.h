#pragma once

#include "core/measure/plane_view.h"
#include "core/stars/psf.h"

#include <vector>

namespace caelumen {

/// What a star hides: a disc in baseline stored pixels, out to where its light sinks well below the noise of a pixel.
struct StarDisc {
    Point at;
    double radius = 0;
    double flux = 0;
};

/// The discs of a catalogue of one plane, in baseline pixels. The radius grows from the detection isophote along the star image's wings until the light
/// `left` is reached (plane units per pixel).
std::vector<StarDisc> starDiscs(const std::vector<Star>& stars, const std::optional<Psf>& psf, double noise, double left, const PlaneView& view);

/// The same with as little light left as the frame can bear: a fiftieth of a pixel's noise, more where that would hide over half of the frame.
std::vector<StarDisc> deepStarDiscs(const std::vector<Star>& stars, const std::optional<Psf>& psf, double noise, const PlaneView& view);

/// A mask in a plane's own grid that hides the discs, and those of another list where one is given.
Mask starMask(const std::vector<StarDisc>& discs, const PlaneView& view, const std::vector<StarDisc>* others = nullptr);

/// Hidden pixels as a part of all.
double hiddenPart(const Mask& mask);

} // namespace caelumen
