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

/// Adds one to each pixel of a stack's row for each site that lies within `reach` of its middle each way. `to`: stack pixel to lattice pixel, one for each
/// lattice of a colour, which have a pitch of two pixels and `latticeWidth` x `latticeHeight` sites.
void countDrops(std::span<const Alignment::Affine> to, int y, int width, double reach, int latticeWidth, int latticeHeight, std::uint8_t* drops);

/// In a row of one sub that is interpolated, puts the values of those sites, and where `dropped` is 1 but no site of this sub lies, kPassedOver.
void dropInto(std::span<const RowBand> from, std::span<const Alignment::Affine> to, int y, int width, double reach, const std::uint8_t* dropped, float* out);

} // namespace caelumen
