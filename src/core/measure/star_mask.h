#pragma once

#include "core/measure/plane_view.h"
#include "core/stars/psf.h"

#include <memory>
#include <vector>

namespace caelumen {

/// What a star hides: a disc in baseline stored pixels, out to where its light sinks well below the noise of a pixel.
struct StarDisc {
    Point at;
    double radius = 0; ///< baseline stored pixels
};

/// All that is hidden in the planes of one channel, which every run's plane shares.
using SharedDiscs = std::shared_ptr<const std::vector<StarDisc>>;

/// The discs of a catalogue of one plane, in baseline pixels. The radius grows from the detection isophote along the star image's wings until the light
/// `left` is reached (plane units per pixel).
std::vector<StarDisc> starDiscs(const std::vector<Star>& stars, const std::optional<Psf>& psf, double noise, double left, const PlaneView& view);

/// The stars of one plane, and how it lies on the sky.
struct MaskSource {
    const std::vector<Star>* stars = nullptr;
    const std::optional<Psf>* psf = nullptr;
    double noise = 0; ///< of a pixel, plane units
    PlaneView view;
};

/// One list of discs for several planes, so that all are masked alike: every star that any of them shows, as wide as the widest of its discs. As little light
/// is left as the frame can bear: a fiftieth of a pixel's noise, more where that would hide over half of the first plane's frame.
std::vector<StarDisc> commonDiscs(const std::vector<MaskSource>& planes);

/// A mask in a plane's own grid that hides the discs. `spare` may be one that is no longer needed: its memory is used again. `hidden` becomes the number of
/// hidden pixels.
Mask starMask(const std::vector<StarDisc>& discs, const PlaneView& view, Mask spare = {}, std::int64_t* hidden = nullptr);

} // namespace caelumen
