#pragma once

#include "core/base/job.h"
#include "core/image/plane.h"
#include "core/palette/recipe.h"
#include "core/stars/alignment.h"

#include <cstdint>
#include <functional>

namespace caelumen {

/// One input on the picture's grid.
struct PaletteLayer {
    std::string id;
    Plane rate;                ///< e-/s per pixel; NaN where there is none
    double noise = 0, sky = 0; ///< of a pixel
    double factor = 1;         ///< that the recipe's scale asks for
    Alignment alignment;       ///< from the picture's grid
    double total_s = 0;
    std::string what; ///< "a.fits, R": for the picture's list of what was done
};

/// A colour picture, linear: e-/s per pixel times the factors of its layers.
struct ColourPicture {
    int width = 0, height = 0;
    std::array<Plane, 3> planes;
    std::array<double, 3> noise{}, sky{};
    std::vector<std::string> done;  ///< in sentences
    std::vector<std::string> notes; ///< what should be known of it
};

/// Reads, splits, aligns and adds up what the recipe names, files from `folder`. An Error names the file: no exposure known, stacks of different fields, stars
/// that are a galaxy's knots. With background kept, no scale and stars kept it is the matrix times the aligned inputs: what lies on the first input's grid
/// within a twentieth of a pixel is not resampled.
Result<ColourPicture> compose(const Recipe& recipe, const std::filesystem::path& folder, const Job& job = {});

/// How a picture's light becomes greys: one for several pictures, so that what differs is the filter.
struct Look {
    double black = 0, soft = 1, white = 1;
    double grey(double v) const; ///< 0 to 1
};
/// What of a picture its look rests on.
struct LookBase {
    double noise = 0, white = 1;
};
LookBase lookBase(const ColourPicture& picture);
/// Black two noises below the sky, greys linear up to a few noises and logarithmic above. `light` moves the sky's grey, `depth` how much of the faint is
/// lifted; 0 to 1 each.
Look lookOf(const LookBase& base, double light, double depth);
inline Look lookOf(const ColourPicture& picture, double light, double depth) {
    return lookOf(lookBase(picture), light, depth);
}

/// 16-bit R, G, B, row by row. Linear pictures: times `factor`, cut at 0 and 65535.
std::vector<std::uint16_t> shownPixels(const ColourPicture& picture, const Look& look);
/// The same in 8 bits for a screen, 0xffRRGGBB with `stride` words between rows; fast enough for a slider.
void screenPixels(const ColourPicture& picture, const Look& look, std::uint32_t* to, std::size_t stride);
std::vector<std::uint16_t> linearPixels(const ColourPicture& picture, double factor);

} // namespace caelumen
