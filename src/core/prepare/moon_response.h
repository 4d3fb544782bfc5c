#pragma once

#include "core/prepare/verdict.h"

#include <optional>

namespace caelumen {

/// How a filter's background follows the moon: background = intercept + slope * modelled moonlight.
struct MoonResponse {
    double intercept = 0, interceptSigma = 0; ///< e-/s/px without moon (ADU/s/px where the gain is unknown)
    double slope = 0, slopeSigma = 0;         ///< e-/s/px per nanolambert
    std::size_t subs = 0;
};

/// Theil-Sen line (Sen 1968, JASA 63, 1379) through the kept subs of one channel, sigmas from a bootstrap over subs. An Error says why it cannot be told: no
/// moonlight known, too few subs, or too little change of the moonlight.
Result<MoonResponse> moonResponse(const JudgedRun& run, const std::string& channel, std::optional<double> gain_e_per_adu);

/// The filter's slope over the baseline's: 1 lets all moonlight through. Absent where the baseline's slope is not above its error.
struct MoonRejection {
    double value = 0, sigma = 0; ///< a ratio
};
std::optional<MoonRejection> moonRejection(const MoonResponse& filter, const MoonResponse& baseline);

} // namespace caelumen
