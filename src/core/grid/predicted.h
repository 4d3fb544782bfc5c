#pragma once

#include "core/grid/grid.h"

#include <cstdint>

namespace caelumen {

/// What a picture is foretold for.
struct PictureWish {
    TargetKind kind = TargetKind::Emission;
    GridSky sky;
    double hours = 2;                 ///< of light, for each of both
    std::optional<double> brightness; ///< of the target's mean: rayleigh, or V mag per square arcsecond; else that of a fair one
    int width = 640, height = 500;    ///< camera pixels
    unsigned long long seed = 7;      ///< of nebula and stars; noise differs from run to run
};

/// A made-up target as a filter would show it. Never measured, and always shown as predicted.
struct PredictedPicture {
    std::string filter;
    int width = 0, height = 0;
    std::vector<std::uint32_t> pixels; ///< 0xffRRGGBB, row by row, top row first
    double snr = 0;                    ///< of the target's mean in a box of 10 arcseconds, in its best channel
};

/// The baseline's and the filter's picture: the same target and stars, backgrounds and light as the grid has them, photon and read noise of those hours. Each
/// to its own sky and with one factor that makes the target equally bright in both, so that what differs is what the filter does to noise, stars and colour.
/// Nothing where the baseline or the filter has no response or does not pass the kind's light.
std::optional<std::array<PredictedPicture, 2>> predictPictures(const GridModel& model, const std::string& filter, const PictureWish& wish);

/// Brightness that catalogues call fair.
double fairBrightness(TargetKind kind);

} // namespace caelumen
