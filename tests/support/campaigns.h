#pragma once

#include "store/campaign.h"

namespace caelumen {

/// A small trial that a campaign may hold.
inline Trial sampleTrial(const char* title) {
    Trial t;
    t.title = title;
    t.filters = {{"open", "No filter", "none", "", std::nullopt, false}};
    Run r;
    r.id = "A";
    r.filter = "open";
    r.stack = "frames/a.fits";
    t.runs = {r};
    t.regions = {{"N1", RegionRole::Nebula, RegionShape::Circle, {{5.25, 6.5}}, 3, "R", "shell", true}};
    return t;
}

/// Of a campaign that can be read; none of another.
inline std::vector<Campaign::Entry> trialsOf(const Campaign& campaign) {
    const auto all = campaign.trials();
    return all ? *all : std::vector<Campaign::Entry>{};
}

} // namespace caelumen
