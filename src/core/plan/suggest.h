#pragma once

#include "core/plan/forecast.h"

namespace caelumen {

/// How well a target suits a test of one filter in this telescope, place and night.
struct Suggestion {
    const DeepSky* target = nullptr;
    double score = 0;          ///< 0..1, the product of its parts
    double usable_s = 0;       ///< dark, high and clear of the horizon, without the meridian in a block
    double moonAway_deg = 180; ///< when it stands highest in that time
    double highest_deg = 0;
    double fill = 0; ///< of the frame's shorter side
    std::vector<std::string> reasons;
    std::string weakness; ///< its worst part, in a sentence
};

/// What the test's filters let through: of each line's light the part that the narrowest of them keeps.
struct PassedLines {
    double hydrogen = 0, oxygen = 0, sulphur = 0; ///< 0..1
    bool broadband = false;                       ///< continuum passes: galaxies and clusters tell something
};
PassedLines passedLines(const std::vector<PlanFilter>& filters);

/// The best targets for this night, best first, at most `most`. `frame_deg`: the field's width and height. Targets that never rise high enough or are lost in
/// moonlight are left out.
std::vector<Suggestion> suggestTargets(const std::vector<DeepSky>& among, const PassedLines& passed, std::pair<double, double> frame_deg, const Plan& plan,
                                       const Site& site, const NightTrack& anyTrack, std::size_t most);

/// A night of the calendar.
struct CalendarNight {
    std::string date;
    double dark_s = 0;     ///< sun low enough
    double moonless_s = 0; ///< of that, moon down
    double moonLit = 0;    ///< at the middle of the night
    double target_s = 0;   ///< usable for the target
    double target_moonless_s = 0;
};
/// Nights from `first` ("2026-06-01") on, one every `step` days. Slow (some milliseconds a night): not for the interface thread.
Result<std::vector<CalendarNight>> calendar(const std::string& first, int nights, int step, const Plan& plan, const Site& site, double ra_deg, double dec_deg);

/// The date some days later.
std::string dateAfter(const std::string& date, int days);

} // namespace caelumen
