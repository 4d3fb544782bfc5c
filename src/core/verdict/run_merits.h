#pragma once

#include "core/grid/measured.h"

namespace caelumen {

/// A figure of one run beside its own trial's baseline, better when it is smaller.
struct MeritFigure {
    double value = 0, sigma = 0;
    bool limit = false; ///< nothing seen: the value is a limit at three sigmas
};

/// What of a run holds under any sky. Nothing where it was not measured, or is void by what else differed.
struct RunMerits {
    std::optional<MeritFigure> halo;     ///< part of a star's light in rings
    std::optional<MeritFigure> colour;   ///< |1 - slope| of star colours
    std::optional<MeritFigure> gradient; ///< more than the baseline's
    bool haloVoid = false, colourVoid = false, gradientVoid = false;
};
RunMerits runMerits(const GridTrial& trial, const std::string& run);

/// Whether a fairness finding voids a quantity of a run.
bool isVoid(const TrialResults& results, const std::string& run, std::string_view quantity);

} // namespace caelumen
