#pragma once

#include "core/prepare/subs.h"

#include <cstdint>
#include <span>

namespace caelumen {

/// How much the same pixel of two subs may differ: sky noise, the photons of what shines there, and what seeing does to stars.
struct NoiseModel {
    double sky = 0;    ///< sigma of a sky pixel, stored units; 0: unknown, then the values' own scatter decides
    double level = 0;  ///< of that sky
    double photon = 0; ///< variance for each unit above the level (1 / gain)
    double part = 0;   ///< sigma as a part of the light above the level
    double bias = 0;   ///< sigmas by which clipping shifts the mean of noise (clippingBias); given back where the noise is that of the model
};

/// What became of the values of a row, pixel by pixel; empty spans are not filled.
struct RowFates {
    std::span<std::uint16_t> covered; ///< values there were
    std::span<std::uint16_t> rejectedLow, rejectedHigh;
};

/// Combines the same row of several subs; NaN is no value, a pixel without any becomes NaN. Rejection is about the median, with the larger of the model's sigma and 1.4826 MAD (with
/// Rejection::Winsor: the winsorised sigma, Huber 1981) and never takes the last value.
/// `weights`: one a sub; empty: equal.
void combineRows(std::span<const float* const> rows, int width, const NoiseModel& model, const CombineOptions& options, std::span<const double> weights, float* out, RowFates fates = {});

/// What unequal limits do to the mean of `n` values of unit normal noise, by trying it on some 400 000 of them: good to 0.002.
double clippingBias(std::size_t n, const CombineOptions& options);

} // namespace caelumen
