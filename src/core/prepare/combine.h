#pragma once

#include "core/prepare/subs.h"

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace caelumen {

/// How much the same pixel of two subs may differ: sky noise, the photons of what shines there, and what seeing does to stars.
struct NoiseModel {
    double sky = 0;    ///< sigma of a sky pixel, stored units; 0: unknown, then the values' own scatter decides
    double level = 0;  ///< of that sky
    double photon = 0; ///< variance for each unit above the level (1 / gain)
    double part = 0;   ///< sigma as a part of the light above the level
    double bias = 0;   ///< sigmas by which clipping shifts the mean of noise (clippingBias); given back where the noise is that of the model
};

/// How the star images of the subs differ, so that a star that is sharper or softer than most is not taken for a hit. The difference of two star images is half
/// the difference of their squared widths times the picture's Laplacian, as in the heat equation.
struct StarImages {
    std::span<const double> spread;      ///< by sub: half of (its sigma^2 - the middle one), pixels of the stack; empty: all alike
    std::ptrdiff_t above = 0, below = 0; ///< from a row of a sub to the one before it and after it; 0: there is none

    bool differ() const { return !spread.empty(); }
};

/// StarImages::spread from the widths of star images, pixels of the stack; a sub whose width is unknown counts as the middle one. Empty where fewer than two
/// are known.
std::vector<double> spreadsOf(const std::vector<std::optional<double>>& fwhm_px);

/// What became of the values of a row, pixel by pixel; empty spans are not filled.
struct RowFates {
    std::span<std::uint16_t> covered; ///< values there were
    std::span<std::uint16_t> rejectedLow, rejectedHigh;
};

/// The same row as two stacks of half the depth, each clipped by itself.
struct RowHalves {
    float *odd = nullptr, *even = nullptr; ///< the first sub is odd; null: not wanted
    std::span<const std::uint8_t> byValue; ///< 1: of this pixel the values take turns, in the order of the subs; 0, or empty: the subs do
};

/// Combines the same row of several subs; NaN is no value, a pixel without any becomes NaN. Rejection is about the median, with the larger of the model's sigma
/// and 1.4826 MAD (with Rejection::Winsor: the winsorised sigma, Huber 1981), wider where the picture is steep by what the sub's own star image and a shift of
/// an eighth of a pixel make of it; it never takes the last value; halves ask all subs how steep the
/// picture is. `weights`: one a sub; empty: equal.
void combineRows(std::span<const float* const> rows, int width, const NoiseModel& model, const CombineOptions& options, std::span<const double> weights,
                 float* out, RowFates fates = {}, const StarImages& images = {}, RowHalves halves = {});

/// What unequal limits do to the mean of `n` values of unit normal noise, by trying it on some 400 000 of them: good to 0.002.
double clippingBias(std::size_t n, const CombineOptions& options);

} // namespace caelumen
