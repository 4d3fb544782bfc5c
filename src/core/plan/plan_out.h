#pragma once

#include "core/model/results.h"
#include "core/plan/forecast.h"

namespace caelumen {

/// Blocks as a table: start and end in UTC, filter, subs, exposure, altitude of the target, the moon's, airmass.
std::string blocksToCsv(const Plan& plan, const Trial& trial, const NightTrack& track);
/// An event for each block (RFC 5545), times in UTC.
std::string planToCalendar(const Plan& plan, const Trial& trial, const NightTrack& track);

/// What tonight can prove and what it cannot, in sentences, the weightiest first.
std::vector<std::string> proofSentences(const Forecasts& forecast, const std::vector<Balance>& balance, const Plan& plan, const Trial& trial,
                                        const DeepSky& target);

/// Energy and storage for the whole night.
struct Budget {
    double hours = 0;     ///< from the first block to the last
    double energy_Wh = 0; ///< of mount, camera and heaters for that long
    double part = 0;      ///< of the battery; 0: mains
    int files = 0;
    int calibrationFiles = 0;            ///< twenty flats a filter, darks of each length that is not at hand, and biases
    double flats_min = 0, darks_min = 0; ///< to take these
    double storage_GB = 0;               ///< 16-bit frames, calibration frames too
};
Budget budgetOf(const Plan& plan, int width, int height, const std::vector<double>& darksAtHand = {});

/// The points of the checklist: an id that a plan can tick, and its words. Flats and darks are named for this plan; darks of the lengths `darksAtHand` (s) are
/// not asked for.
std::vector<std::pair<std::string, std::string>> checklist(const Plan& plan, const Trial& trial, const std::vector<double>& darksAtHand = {});

/// The trial that stacks will fill: place, target, telescope and the plan's filters, without runs yet.
Trial trialOfPlan(const Plan& plan, const Trial& trial);

/// Plan against what the trial's runs hold, for one filter.
struct PlanProgress {
    std::string filter;
    int plannedSubs = 0, subs = 0;
    double planned_s = 0, shot_s = 0;
};
/// In the plan's order. Subs and their lengths as the trial says, else as the headers of the stacks do once they were read (`results`, may be null).
std::vector<PlanProgress> progressOf(const Plan& plan, const Trial& trial, const TrialResults* results);

} // namespace caelumen
