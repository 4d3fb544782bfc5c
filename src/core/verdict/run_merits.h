#pragma once

#include "core/grid/grid.h"

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

/// How many magnitudes darker than the baseline a filter is under a sky, in the channel that shows the kind best; `cell` says where that is from. Empty where
/// either background is not known.
struct Darker {
    GridCell cell;
    double mag = 0, sigma = 0; ///< positive: darker
};
std::optional<Darker> darkerThanBaseline(const GridModel& model, const GridFilter& filter, const GridSky& sky, TargetKind kind);

/// Whether a fairness finding voids a quantity of a run.
bool isVoid(const TrialResults& results, const std::string& run, std::string_view quantity);

} // namespace caelumen
