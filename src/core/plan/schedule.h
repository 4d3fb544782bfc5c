#pragma once

#include "core/model/plan.h"
#include "core/plan/sky_light.h"
#include "core/sky/night_track.h"

namespace caelumen {

/// How long a block takes: its subs, each with the mount's settling.
double blockLength(const Plan& plan, const PlanBlock& block);
inline double blockEnd(const Plan& plan, const PlanBlock& block) {
    return block.start_s + blockLength(plan, block);
}

/// A filter's block as the plan has it: with its own exposure, if it has one, and as many subs as gather light for as long as the others.
PlanBlock blockOf(const Plan& plan, const std::string& filter, double start_s);

/// The filters in the order in which their blocks come.
std::vector<std::string> blockOrder(const Plan& plan);

/// From the first block's start to the last one's end when they follow each other without a gap but swaps, refocusing and star series (`slew_s` there and
/// back).
double seriesLength(const Plan& plan, double slew_s = 60);

/// When the plan's target can be shot: sun low enough, target high enough and above the horizon.
std::vector<Span> usable(const Plan& plan, const Site& site, const NightTrack& track);

struct Schedule {
    Plan plan;
    std::string problem; ///< one sentence where the blocks do not fit; the plan then holds those that do
};

/// Lays all blocks from the start of the longest usable stretch (or from `from`): swap and refocus between filters, the bright-star series after each filter's
/// first block, no block over the meridian where one waits for the flip.
Schedule scheduleBlocks(Plan plan, const Site& site, const NightTrack& track, std::optional<double> from = {});

/// The most subs a block may have for all blocks to fit; 0 when not even one does.
int subsThatFit(const Plan& plan, const Site& site, const NightTrack& track);

/// How alike the filters' share of the night is. Differences are against the baseline, the plan's first filter.
struct Balance {
    std::string filter;
    int subs = 0;
    double total_s = 0;
    double middle_s = 0;    ///< mean time of its light
    double airmass = 0;     ///< mean
    double sky_nL = 0;      ///< mean; 0 where the site's brightness is not known
    double moonAlt_deg = 0; ///< mean, where the moon is up; else 0
    double low_deg = 90;    ///< lowest altitude of the target
    double skyMore = 0;     ///< part by which its sky is brighter than the baseline's
    double airmassMore = 0; ///< its airmass less the baseline's
    double later_s = 0;
};
std::vector<Balance> balanceOf(const Plan& plan, const Site& site, const NightTrack& track);

/// What is wrong with where blocks lie, in sentences: overlaps, twilight, a low target, the meridian, a missing baseline.
/// `trial`: its place, and the names of its filters.
std::vector<std::string> blockProblems(const Plan& plan, const Trial& trial, const NightTrack& track);

} // namespace caelumen
