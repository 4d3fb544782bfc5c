#pragma once

#include "core/image/plane.h"

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace caelumen {

/// A colour picture, linear: e-/s per pixel times the factors of its layers.
struct ColourPicture {
    int width = 0, height = 0;
    std::array<Plane, 3> planes;
    std::array<double, 3> noise{}, sky{};
    std::vector<std::string> done;       ///< in sentences
    std::vector<std::string> conditions; ///< of each stack, as its file tells them
    std::vector<std::string> notes;      ///< what should be known of it
};

/// How a picture's light becomes greys: one for several pictures, so that what differs is the filter.
struct Look {
    double black = 0, soft = 1, white = 1;
    double grey(double v) const; ///< 0 to 1
    friend bool operator==(const Look&, const Look&) = default;
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
std::vector<std::uint16_t> linearPixels(const ColourPicture& picture, double factor);

/// Greys of a look in 8 bits from a table, finer than a screen shows, instead of millions of logarithms. Its steps are even in the root, since greys change
/// fastest next to black.
class LookTable {
public:
    explicit LookTable(const Look& look);
    /// A row of red, green and blue light, of which `sky` is taken away, as 0xffRRGGBB. NaN is black.
    void pixels(const std::array<const float*, 3>& light, const std::array<double, 3>& sky, int n, std::uint32_t* to) const;

private:
    static constexpr int kSteps = 1 << 15;
    float m_black = 0, m_perRange = 1;
    std::vector<std::uint8_t> m_table;
};
/// A picture in 8 bits for a screen, 0xffRRGGBB with `stride` words between rows.
void screenPixels(const ColourPicture& picture, const Look& look, std::uint32_t* to, std::size_t stride);

} // namespace caelumen
