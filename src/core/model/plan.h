#pragma once

#include <map>
#include <string>
#include <vector>

namespace caelumen {

/// Subs of one filter without a break.
struct PlanBlock {
    std::string filter; ///< id; empty: the bright-star series
    double start_s = 0; ///< seconds after the night's start (the sun's mean noon)
    int subs = 0;
    double exposure_s = 0;
    friend bool operator==(const PlanBlock&, const PlanBlock&) = default;
};

enum class BlockOrder {
    Mirrored, ///< A B C, C B A: a steady drift of the sky cancels
    Square    ///< each filter once in each place: a Latin square, for as many rounds as filters
};

enum class FlipSchool {
    Wait,   ///< no block runs over the meridian
    Flipped ///< the mount starts on the far side and needs no flip
};

/// What is to be shot in one night so that filters can be compared.
struct Plan {
    std::string date;                 ///< of the evening, "2026-06-20"
    std::vector<std::string> filters; ///< ids, the baseline first
    std::vector<PlanBlock> blocks;    ///< in order of time
    int subs = 10;                    ///< in a block
    int rounds = 2;
    double exposure_s = 180;
    std::map<std::string, double> exposures; ///< a filter's own, where lengths differ; its subs are as many as give the same light
    BlockOrder order = BlockOrder::Mirrored;
    FlipSchool flip = FlipSchool::Wait;
    double swap_s = 60, refocus_s = 180, settle_s = 8, flip_s = 300; ///< between filters, after a swap, between subs, at the meridian
    double slew_deg_s = 2, slewSettle_s = 20;                        ///< of the mount, to the halo star and back
    double lowest_deg = 30;                                          ///< of the target
    double twilight_deg = -18;                                       ///< the sun is lower
    std::string brightStar;                                          ///< for the halo series; empty: none
    int starSubs = 10;
    double starExposure_s = 10;
    double battery_Wh = 0; ///< 0: mains
    double mount_W = 12, camera_W = 25, heaters_W = 15;
    std::vector<std::string> done; ///< points of the checklist that are ticked
    friend bool operator==(const Plan&, const Plan&) = default;
};

} // namespace caelumen
