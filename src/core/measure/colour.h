#pragma once

#include "core/base/point.h"

#include <optional>
#include <vector>

namespace caelumen {

/// One star's colour in both runs: index X-Y = -2.5 log10(F_X / F_Y), with errors.
struct ColourPoint {
    double x = 0, xSigma = 0; ///< baseline
    double y = 0, ySigma = 0; ///< filter
    Point place = {};         ///< of the star, baseline pixels
};

struct ColourFit {
    double slope = 0, slopeSigma = 0;     ///< filter index over baseline index; 1: all colour is kept
    double cast = 0, castSigma = 0;       ///< fit at the baseline's median index minus that median, mag
    double scatter = 0, scatterSigma = 0; ///< 1.4826 MAD of the residual, photon noise taken out, mag
    bool noiseLimited = false;            ///< nothing is left of the scatter beyond noise
    double medianIndex = 0;               ///< of the baseline, mag
    std::size_t stars = 0;
};

/// Theil-Sen slope (Theil 1950; Sen 1968, JASA 63, 1379), freed of the flattening that noise in x brings by simulation extrapolation
/// (SIMEX; Cook & Stefanski 1994, JASA 89, 1314); errors by bootstrap over stars. Needs 8 stars that do not all have one colour. Deterministic.
std::optional<ColourFit> fitColour(const std::vector<ColourPoint>& points);

} // namespace caelumen
