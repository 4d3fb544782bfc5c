#pragma once

#include "core/prepare/resample.h"

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace caelumen {

/// Values of a colour that make a pixel when dithered subs of a mosaic are drizzled (Fruchter & Hook 2002, PASP 114, 144): those of which a site of that colour
/// lies in the pixel, as they are. To interpolate between a colour's own sites, two pixels apart, would blur what they do not sample.
inline constexpr int kFewestDrops = 2; ///< with fewer nothing tells a hit: there all subs count, interpolated

/// How far from a pixel's middle a site may lie, pixels: half a pixel, less where stars are so narrow that its spread would widen them by more than 2.5 %: a
/// drop up to `reach` away adds reach^2 / 3 to their variance.
double dropReach(std::optional<double> fwhm_px);

/// For each pixel of a stack's row, the lattice of which a site lies within `reach` of its middle each way; -1: none. `to`: stack pixel to lattice pixel, one
/// each; lattices have a pitch of two pixels.
void sitesInRow(std::span<const Alignment::Affine> to, int y, int width, double reach, std::int8_t* lattice);
/// Puts the values of those sites into `out`; other pixels stay.
void dropInto(std::span<const RowBand> from, std::span<const Alignment::Affine> to, int y, int width, double reach, float* out);

/// Rows of subs with only the values that count, and the same divided into two halves, value after value.
class DrizzledRows {
public:
    /// `rows`: of each sub, with the rows `above` and `below` it at those distances (0: none); `sites`: by sub, row after row of `width`.
    void choose(std::span<const float* const> rows, std::span<const std::int8_t> sites, int width, std::ptrdiff_t above, std::ptrdiff_t below, bool halves);
    enum class Part { All, Odd, Even };
    std::vector<const float*> of(Part part) const;
    std::ptrdiff_t stride() const { return m_width; }                       ///< from a row to the one below it
    int drizzled() const { return m_drizzled; }                             ///< pixels with drops enough
    const std::vector<std::uint16_t>& covered() const { return m_covered; } ///< subs that reach each pixel

private:
    int m_width = 0, m_drizzled = 0;
    std::size_t m_subs = 0;
    bool m_halves = false;
    std::vector<float> m_values; ///< part after part, sub after sub: the row above, the row, the row below
    std::vector<std::uint16_t> m_drops, m_covered, m_taken;
};

} // namespace caelumen
