#include "core/plan/star_series.h"

#include "core/base/phrase.h"
#include "core/plan/schedule.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {

const BrightStar* haloStar(const Plan& plan) {
    const auto& all = brightStars();
    const auto it = std::find_if(all.begin(), all.end(), [&](const BrightStar& s) {
        return s.name == plan.brightStar || s.name.starts_with(plan.brightStar + ",");
    }); // "Antares" of "Antares, alpha Sco"
    return plan.brightStar.empty() || it == all.end() ? nullptr : &*it;
}

double slewTime(const Plan& plan, const NightTrack& track) {
    const BrightStar* star = haloStar(plan);
    return star ? separation_deg(track.targetRa_deg(), track.targetDec_deg(), star->ra_deg, star->dec_deg) / plan.slew_deg_s + plan.slewSettle_s
                : plan.slewSettle_s;
}

double starSeriesLength(const Plan& plan, double slew_s) {
    return plan.starSubs * (plan.starExposure_s + plan.settle_s) + 2 * slew_s;
}

std::vector<StarBlock> starSeries(const Plan& plan, const NightTrack& track) {
    std::vector<StarBlock> out;
    std::set<std::string> seen;
    if (plan.brightStar.empty()) return out;
    const BrightStar* star = haloStar(plan);
    const double slew = slewTime(plan, track);
    for (const PlanBlock& b : plan.blocks) {
        if (!seen.insert(b.filter).second) continue;
        StarBlock s{{b.filter, blockEnd(plan, b) + slew, plan.starSubs, plan.starExposure_s}, {}, 180, false};
        if (star) {
            const SkyMoment m =
                skyAt(track.observer(), track.start().plusSeconds(s.block.start_s + blockLength(plan, s.block) / 2), star->ra_deg, star->dec_deg);
            s.star = *m.target;
            s.moonAway_deg = *m.moonSeparation_deg;
            s.moonUp = m.moon.alt_deg > 0;
        }
        out.push_back(s);
    }
    return out;
}

std::vector<std::string> starProblems(const Plan& plan, const Trial& trial, const NightTrack& track) {
    std::vector<std::string> out;
    const auto nameOf = [&](const std::string& id) {
        const Filter* f = trial.filter(id);
        return f && !f->name.empty() ? f->name : id;
    };
    if (plan.brightStar.empty()) return out;
    if (!haloStar(plan)) return {phrase("The halo star \"{}\" is not in the list of bright stars; choose one that is.", plan.brightStar)};
    const double slew = slewTime(plan, track);
    constexpr double kLowest = 20, kMoonBeside = 12;
    int low = 0, moonlit = 0;
    for (const StarBlock& s : starSeries(plan, track)) {
        const double end = blockEnd(plan, s.block), dark = -plan.twilight_deg;
        const auto next = std::find_if(plan.blocks.begin(), plan.blocks.end(), [&](const PlanBlock& b) { return b.start_s > s.block.start_s - slew - 1; });
        if (next != plan.blocks.end()) {
            const bool swaps = next->filter != s.block.filter;
            const double needed = slew + (swaps ? plan.swap_s + plan.refocus_s : 0), there = next->start_s - end;
            if (there + 1 < needed)
                out.push_back(phrase("{}'s series on {} ends {:.1f} min {} the next block; going back{} takes {:.1f}.", nameOf(s.block.filter), plan.brightStar,
                                     std::abs(there) / 60, there >= 0 ? "before" : phrase("after the start of"),
                                     swaps ? phrase(", swapping and refocusing") : "", needed / 60));
        }
        if (track.at(std::min(end, NightTrack::kLength)).sun.alt_deg > -dark + 0.1)
            out.push_back(phrase("{}'s series on {} runs into twilight.", nameOf(s.block.filter), plan.brightStar));
        low += s.star.alt_deg < std::max(kLowest, horizonAt(trial.site.horizon, s.star.az_deg));
        moonlit += s.moonUp && s.moonAway_deg < kMoonBeside;
    }
    if (low > 0)
        out.push_back(
            phrase("{} stands below {:g} degrees or behind the horizon in {} of its series; choose a star that is up.", plan.brightStar, kLowest, low));
    if (moonlit > 0) out.push_back(phrase("The moon stands within {:g} degrees of {}: its glow will pass for a halo.", kMoonBeside, plan.brightStar));
    return out;
}

} // namespace caelumen
