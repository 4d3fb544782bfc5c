#include "core/plan/schedule.h"

#include "core/base/phrase.h"
#include "core/plan/star_series.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

std::function<double(double)> horizonOf(const Site& site) {
    return [&site](double azimuth) { return horizonAt(site.horizon, azimuth); };
}

const Span* longest(const std::vector<Span>& spans) {
    const auto it = std::max_element(spans.begin(), spans.end(), [](const Span& a, const Span& b) { return a.length() < b.length(); });
    return it == spans.end() ? nullptr : &*it;
}

std::string hours(double s) {
    return fmt::format("{} h {:02} min", static_cast<int>(s / 3600), static_cast<int>(std::fmod(s, 3600) / 60));
}

} // namespace

double blockLength(const Plan& plan, const PlanBlock& block) {
    return block.subs * (block.exposure_s + plan.settle_s);
}

PlanBlock blockOf(const Plan& plan, const std::string& filter, double start_s) {
    const auto own = plan.exposures.find(filter);
    if (own == plan.exposures.end()) return {filter, start_s, plan.subs, plan.exposure_s};
    return {filter, start_s, std::max(1, static_cast<int>(std::lround(plan.subs * plan.exposure_s / own->second))), own->second};
}

std::vector<std::string> blockOrder(const Plan& plan) {
    std::vector<std::string> out;
    const std::size_t n = plan.filters.size();
    for (int round = 0; round < plan.rounds; ++round)
        for (std::size_t i = 0; i < n; ++i) {
            if (plan.order == BlockOrder::Square)
                out.push_back(plan.filters[(i + static_cast<std::size_t>(round)) % n]);
            else
                out.push_back(plan.filters[round % 2 == 0 ? i : n - 1 - i]);
        }
    return out;
}

double seriesLength(const Plan& plan, double slew_s) {
    double sum = 0;
    std::string before;
    std::set<std::string> seen;
    for (const std::string& filter : blockOrder(plan)) {
        if (filter != before) sum += (before.empty() ? 0 : plan.swap_s) + plan.refocus_s;
        sum += blockLength(plan, blockOf(plan, filter, 0));
        if (!plan.brightStar.empty() && seen.insert(filter).second) sum += starSeriesLength(plan, slew_s);
        before = filter;
    }
    return sum;
}

std::vector<Span> usable(const Plan& plan, const Site& site, const NightTrack& track) {
    const auto dark = track.sunBelow(plan.twilight_deg);
    if (!dark) return {};
    return overlap({*dark}, track.targetAbove(plan.lowest_deg, horizonOf(site)));
}

Schedule scheduleBlocks(Plan plan, const Site& site, const NightTrack& track, std::optional<double> from) {
    plan.blocks.clear();
    const auto spans = usable(plan, site, track);
    const Span* window = longest(spans);
    if (!window) {
        const auto dark = track.sunBelow(plan.twilight_deg);
        if (!dark)
            return {plan, phrase("The sun does not sink below {:g} degrees in this night; allow more twilight or choose another date.", plan.twilight_deg)};
        const auto up = track.targetAbove(plan.lowest_deg, horizonOf(site));
        if (up.empty())
            return {plan,
                    phrase("The target does not rise above {:g} degrees and the horizon at this place in this night; choose another target, date or limit.",
                           plan.lowest_deg)};
        return {plan, phrase("The target is up by day only in this night; choose another date or target.")};
    }
    const auto transit = track.transit();
    const double slew = slewTime(plan, track);
    double now = std::max(window->from, from.value_or(window->from));
    std::string before;
    std::set<std::string> starred;
    const auto order = blockOrder(plan);
    for (std::size_t i = 0; i < order.size(); ++i) {
        const std::string& filter = order[i];
        if (filter != before) now += (before.empty() ? 0 : plan.swap_s) + plan.refocus_s;
        PlanBlock block = blockOf(plan, filter, now);
        if (plan.flip == FlipSchool::Wait && transit && block.start_s < *transit && blockEnd(plan, block) > *transit) block.start_s = *transit + plan.flip_s;
        if (blockEnd(plan, block) > window->to + 1) {
            const double missing = blockLength(plan, block) * static_cast<double>(order.size() - i) - (window->to - now);
            return {plan, phrase("{} of {} blocks fit; some {} are missing. Make the blocks shorter or take fewer filters.", i, order.size(), hours(missing))};
        }
        plan.blocks.push_back(block);
        now = blockEnd(plan, block);
        if (!plan.brightStar.empty() && starred.insert(filter).second) now += starSeriesLength(plan, slew);
        before = filter;
    }
    return {plan, {}};
}

int subsThatFit(const Plan& plan, const Site& site, const NightTrack& track) {
    int low = 0, high = 500;
    while (low < high) {
        const int middle = (low + high + 1) / 2;
        Plan p = plan;
        p.subs = middle;
        if (scheduleBlocks(p, site, track).problem.empty())
            low = middle;
        else
            high = middle - 1;
    }
    return low;
}

std::vector<Balance> balanceOf(const Plan& plan, const Site& site, const NightTrack& track) {
    std::vector<Balance> out;
    for (const std::string& filter : plan.filters) {
        Balance b;
        b.filter = filter;
        double weight = 0, moon = 0;
        for (const PlanBlock& block : plan.blocks) {
            if (block.filter != filter || block.subs < 1) continue;
            b.subs += block.subs;
            b.total_s += block.subs * block.exposure_s;
            // Every sub for short blocks, else a dozen places along it.
            const int places = std::min(block.subs, 12);
            const double w = block.subs * block.exposure_s / places, length = blockLength(plan, block);
            for (int k = 0; k < places; ++k) {
                const double t = block.start_s + length * (k + 0.5) / places;
                const SkyMoment m = track.at(t);
                weight += w;
                b.middle_s += w * t;
                b.airmass += w * m.airmass.value_or(10);
                b.low_deg = std::min(b.low_deg, m.target->alt_deg);
                if (m.moon.alt_deg > 0) moon += w, b.moonAlt_deg += w * m.moon.alt_deg;
                if (const auto light = skyLight(site, m)) b.sky_nL += w * light->total();
            }
        }
        if (weight > 0) b.middle_s /= weight, b.airmass /= weight, b.sky_nL /= weight;
        if (moon > 0) b.moonAlt_deg /= moon;
        out.push_back(b);
    }
    for (Balance& b : out) {
        const Balance& base = out.front();
        if (b.subs == 0 || base.subs == 0) continue;
        b.later_s = b.middle_s - base.middle_s;
        b.airmassMore = b.airmass - base.airmass;
        if (base.sky_nL > 0) b.skyMore = b.sky_nL / base.sky_nL - 1;
    }
    return out;
}

std::vector<std::string> blockProblems(const Plan& plan, const Trial& trial, const NightTrack& track) {
    std::vector<std::string> out;
    const auto spans = usable(plan, trial.site, track);
    const auto dark = track.sunBelow(plan.twilight_deg);
    const auto transit = track.transit();
    std::set<std::string> seen;
    int twilight = 0, low = 0, over = 0;
    for (std::size_t i = 0; i < plan.blocks.size(); ++i) {
        const PlanBlock& b = plan.blocks[i];
        const double end = blockEnd(plan, b);
        seen.insert(b.filter);
        if (!dark || b.start_s < dark->from - 1 || end > dark->to + 1)
            ++twilight;
        else if (std::none_of(spans.begin(), spans.end(), [&](const Span& s) { return b.start_s >= s.from - 1 && end <= s.to + 1; }))
            ++low;
        if (plan.flip == FlipSchool::Wait && transit && b.start_s < *transit - 1 && end > *transit + 1) ++over;
        if (i + 1 < plan.blocks.size() && end > plan.blocks[i + 1].start_s + 1)
            out.push_back(phrase("Block {} runs into block {}.", i + 1, i + 2));
        else if (i + 1 < plan.blocks.size() && b.filter != plan.blocks[i + 1].filter && end + plan.swap_s + plan.refocus_s > plan.blocks[i + 1].start_s + 1)
            out.push_back(phrase("Between blocks {} and {} there is no time to swap the filter and refocus.", i + 1, i + 2));
    }
    const auto blocks = [](int n) { return n == 1 ? std::string(phrase("One block lies")) : phrase("{} blocks lie", n); };
    if (twilight > 0) out.push_back(blocks(twilight) + phrase(" in twilight or daylight."));
    if (low > 0) out.push_back(phrase("{} while the target is below {:g} degrees or behind the horizon.", blocks(low), plan.lowest_deg));
    if (over > 0) out.push_back(blocks(over) + phrase(" over the meridian: the mount must flip in the middle."));
    for (std::size_t i = 0; i < plan.filters.size(); ++i)
        if (!plan.blocks.empty() && !seen.count(plan.filters[i])) {
            const Filter* f = trial.filter(plan.filters[i]);
            out.push_back(phrase("{} has no block{}.", f && !f->name.empty() ? f->name : plan.filters[i], i == 0 ? phrase(", and it is the baseline") : ""));
        }
    for (const std::string& s : starProblems(plan, trial, track)) out.push_back(s);
    return out;
}

} // namespace caelumen
