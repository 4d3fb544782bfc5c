#include "core/model/plan_json.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/time_text.h"

#include <fmt/format.h>

namespace caelumen {
namespace {

constexpr double kLongest_s = 36'000; ///< exposure or break

} // namespace

Json planToJson(const Plan& p) {
    Json out;
    out["date"] = p.date;
    out["filters"] = p.filters;
    out["blocks"] = Json::array();
    for (const PlanBlock& b : p.blocks) out["blocks"].push_back({{"filter", b.filter}, {"start_s", b.start_s}, {"subs", b.subs}, {"exposure_s", b.exposure_s}});
    out["subs"] = p.subs;
    out["rounds"] = p.rounds;
    out["exposure_s"] = p.exposure_s;
    for (const auto& [filter, s] : p.exposures) out["exposures"][filter] = s;
    out["order"] = p.order == BlockOrder::Square ? "square" : "mirrored";
    out["flip"] = p.flip == FlipSchool::Flipped ? "flipped" : "wait";
    for (const auto& [key, value] : {std::pair{"swap_s", p.swap_s},
                                     {"refocus_s", p.refocus_s},
                                     {"settle_s", p.settle_s},
                                     {"flip_s", p.flip_s},
                                     {"slew_deg_s", p.slew_deg_s},
                                     {"slew_settle_s", p.slewSettle_s},
                                     {"lowest_deg", p.lowest_deg},
                                     {"twilight_deg", p.twilight_deg},
                                     {"battery_wh", p.battery_Wh},
                                     {"mount_w", p.mount_W},
                                     {"camera_w", p.camera_W},
                                     {"heaters_w", p.heaters_W}})
        out[key] = value;
    if (!p.brightStar.empty()) out["bright_star"] = {{"name", p.brightStar}, {"subs", p.starSubs}, {"exposure_s", p.starExposure_s}};
    if (!p.done.empty()) out["done"] = p.done;
    return out;
}

Result<Plan> planFromJson(const Json& json, const std::string& name) {
    return understood<Plan>(name, [&]() -> Result<Plan> {
        const JsonFields r(json, name, phrase("the plan"));
        Plan p;
        p.date = r.text("date");
        if (!p.date.empty() && !utcTime(p.date + "T00:00")) r.fail(phrase("has \"date\" = \"{}\"; give it as 2026-06-20", p.date));
        p.filters = r.texts("filters", 1000);
        p.done = r.texts("done", 1000);
        p.subs = r.wholeOr("subs", p.subs, 1, 10'000);
        p.rounds = r.wholeOr("rounds", p.rounds, 1, 50);
        p.exposure_s = r.numberOr("exposure_s", p.exposure_s, 0.001, kLongest_s);
        const JsonFields exposures = r.object("exposures");
        for (const auto& [filter, value] : r.items("exposures")) {
            const auto own = exposures.number(filter.c_str(), 0.001, kLongest_s);
            if (!own) exposures.fail(phrase("has \"{}\" without a number", filter));
            p.exposures[filter] = *own;
        }
        p.order = r.oneOf("order", BlockOrder::Mirrored, {{"mirrored", BlockOrder::Mirrored}, {"square", BlockOrder::Square}});
        p.flip = r.oneOf("flip", FlipSchool::Wait, {{"wait", FlipSchool::Wait}, {"flipped", FlipSchool::Flipped}});
        for (const auto& [key, to] : {std::pair{"swap_s", &p.swap_s}, {"refocus_s", &p.refocus_s}, {"settle_s", &p.settle_s}, {"flip_s", &p.flip_s}})
            *to = r.numberOr(key, *to, 0, kLongest_s);
        p.slew_deg_s = r.numberOr("slew_deg_s", p.slew_deg_s, 0.01, 100);
        p.slewSettle_s = r.numberOr("slew_settle_s", p.slewSettle_s, 0, 3600);
        p.lowest_deg = r.numberOr("lowest_deg", p.lowest_deg, 0, 90);
        p.twilight_deg = r.numberOr("twilight_deg", p.twilight_deg, -18, 0);
        for (const auto& [key, to] : {std::pair{"battery_wh", &p.battery_Wh}, {"mount_w", &p.mount_W}, {"camera_w", &p.camera_W}, {"heaters_w", &p.heaters_W}})
            *to = r.numberOr(key, *to, 0, 1e6);
        const JsonFields star = r.object("bright_star");
        p.brightStar = star.text("name");
        p.starSubs = star.wholeOr("subs", p.starSubs, 1, 10'000);
        p.starExposure_s = star.numberOr("exposure_s", p.starExposure_s, 0.001, kLongest_s);
        for (const JsonFields& b : r.objects("blocks")) {
            PlanBlock block;
            block.filter = b.text("filter");
            block.start_s = b.numberOr("start_s", block.start_s, 0, 86'400);
            block.subs = b.wholeOr("subs", block.subs, 0, 10'000);
            block.exposure_s = b.numberOr("exposure_s", block.exposure_s, 0.001, kLongest_s);
            if (block.exposure_s <= 0) b.fail(phrase("needs \"exposure_s\""));
            p.blocks.push_back(block);
        }
        return p;
    });
}

} // namespace caelumen
