#pragma once

#include "core/model/plan.h"
#include "core/model/trial.h"
#include "core/plan/targets.h"
#include "core/sky/night_track.h"

namespace caelumen {

/// The star of the plan's halo series; null without one.
const BrightStar* haloStar(const Plan& plan);

/// Seconds from the target to the star or back, settled: at the plan's slewing rate.
double slewTime(const Plan& plan, const NightTrack& track);

/// All that a series takes out of the night: there, its subs, and back.
double starSeriesLength(const Plan& plan, double slew_s);

/// A series of short subs on the star, and how it stands then.
struct StarBlock {
    PlanBlock block;
    Horizontal star;           ///< in the middle of it
    double moonAway_deg = 180; ///< up or not
    bool moonUp = false;
};
/// One after each filter's first block; none where the plan has no star.
std::vector<StarBlock> starSeries(const Plan& plan, const NightTrack& track);

/// What is wrong with the series, in sentences: no time to go there and back (and to swap and refocus), a star too low or behind the horizon, the moon beside
/// it.
std::vector<std::string> starProblems(const Plan& plan, const Trial& trial, const NightTrack& track);

} // namespace caelumen
