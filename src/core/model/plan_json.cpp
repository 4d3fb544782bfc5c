#include "core/model/plan_json.h"

#include "core/base/json.h"
#include "core/base/time_text.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen {
namespace {

struct Bad {
    std::string message;
};

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
    for (const auto& [key, value] : {std::pair{"swap_s", p.swap_s}, {"refocus_s", p.refocus_s}, {"settle_s", p.settle_s}, {"flip_s", p.flip_s}, {"lowest_deg", p.lowest_deg}, {"twilight_deg", p.twilight_deg}, {"battery_wh", p.battery_Wh}, {"mount_w", p.mount_W}, {"camera_w", p.camera_W}, {"heaters_w", p.heaters_W}}) out[key] = value;
    if (!p.brightStar.empty()) out["bright_star"] = {{"name", p.brightStar}, {"subs", p.starSubs}, {"exposure_s", p.starExposure_s}};
    if (!p.done.empty()) out["done"] = p.done;
    return out;
}

Result<Plan> planFromJson(const Json& json, const std::string& name) {
    if (!json.is_object()) return Error{fmt::format("{} is no object in braces.", name)};
    try {
        Plan p;
        const auto number = [&](const Json& from, const char* key, double& to, double low, double high) {
            const auto it = from.find(key);
            if (it == from.end() || it->is_null()) return;
            if (!it->is_number() || !std::isfinite(it->get<double>()) || it->get<double>() < low || it->get<double>() > high) throw Bad{fmt::format("{} has \"{}\" that must be a number from {:g} to {:g}.", name, key, low, high)};
            to = it->get<double>();
        };
        const auto whole = [&](const Json& from, const char* key, int& to, int low, int high) {
            double v = to;
            number(from, key, v, low, high);
            if (v != std::floor(v)) throw Bad{fmt::format("{} has \"{}\" that must be a whole number.", name, key)};
            to = static_cast<int>(v);
        };
        const auto text = [&](const Json& from, const char* key, std::string& to) {
            const auto it = from.find(key);
            if (it == from.end() || it->is_null()) return;
            if (!it->is_string()) throw Bad{fmt::format("{} has \"{}\" that must be text.", name, key)};
            to = it->get<std::string>();
        };
        const auto words = [&](const char* key, std::vector<std::string>& to) {
            const auto it = json.find(key);
            if (it == json.end()) return;
            if (!it->is_array() || it->size() > 1000) throw Bad{fmt::format("{} has \"{}\" that must be a list of texts.", name, key)};
            for (const Json& w : *it) {
                if (!w.is_string()) throw Bad{fmt::format("{} has \"{}\" that must be a list of texts.", name, key)};
                to.push_back(w.get<std::string>());
            }
        };
        text(json, "date", p.date);
        if (!p.date.empty() && !utcTime(p.date + "T00:00")) throw Bad{fmt::format("{} has \"date\" = \"{}\"; give it as 2026-06-20.", name, p.date)};
        words("filters", p.filters);
        words("done", p.done);
        whole(json, "subs", p.subs, 1, 10'000);
        whole(json, "rounds", p.rounds, 1, 50);
        number(json, "exposure_s", p.exposure_s, 0.001, 36'000);
        if (const auto own = json.find("exposures"); own != json.end() && !own->is_null()) {
            if (!own->is_object()) throw Bad{fmt::format("{} has \"exposures\" that must be an object in braces.", name)};
            for (const auto& [filter, value] : own->items()) {
                if (!value.is_number()) throw Bad{fmt::format("{} has exposures of which that of \"{}\" is no number.", name, filter)};
                number(*own, filter.c_str(), p.exposures[filter], 0.001, 36'000);
            }
        }
        std::string order = "mirrored", flip = "wait";
        text(json, "order", order);
        text(json, "flip", flip);
        if (order != "mirrored" && order != "square") throw Bad{fmt::format("{} has \"order\" that must be mirrored or square.", name)};
        if (flip != "wait" && flip != "flipped") throw Bad{fmt::format("{} has \"flip\" that must be wait or flipped.", name)};
        p.order = order == "square" ? BlockOrder::Square : BlockOrder::Mirrored;
        p.flip = flip == "flipped" ? FlipSchool::Flipped : FlipSchool::Wait;
        for (const auto& [key, to] : {std::pair{"swap_s", &p.swap_s}, {"refocus_s", &p.refocus_s}, {"settle_s", &p.settle_s}, {"flip_s", &p.flip_s}}) number(json, key, *to, 0, 36'000);
        number(json, "lowest_deg", p.lowest_deg, 0, 90);
        number(json, "twilight_deg", p.twilight_deg, -18, 0);
        for (const auto& [key, to] : {std::pair{"battery_wh", &p.battery_Wh}, {"mount_w", &p.mount_W}, {"camera_w", &p.camera_W}, {"heaters_w", &p.heaters_W}}) number(json, key, *to, 0, 1e6);
        if (const auto star = json.find("bright_star"); star != json.end() && !star->is_null()) {
            if (!star->is_object()) throw Bad{fmt::format("{} has \"bright_star\" that must be an object in braces.", name)};
            text(*star, "name", p.brightStar);
            whole(*star, "subs", p.starSubs, 1, 10'000);
            number(*star, "exposure_s", p.starExposure_s, 0.001, 36'000);
        }
        if (const auto blocks = json.find("blocks"); blocks != json.end()) {
            if (!blocks->is_array() || blocks->size() > 10'000) throw Bad{fmt::format("{} has \"blocks\" that must be a list.", name)};
            for (const Json& b : *blocks) {
                if (!b.is_object()) throw Bad{fmt::format("{} has a block that is no object in braces.", name)};
                PlanBlock block;
                text(b, "filter", block.filter);
                number(b, "start_s", block.start_s, 0, 86'400);
                whole(b, "subs", block.subs, 0, 10'000);
                number(b, "exposure_s", block.exposure_s, 0.001, 36'000);
                if (block.exposure_s <= 0) throw Bad{fmt::format("{} has a block without \"exposure_s\".", name)};
                p.blocks.push_back(block);
            }
        }
        return p;
    } catch (const Bad& bad) {
        return Error{bad.message};
    }
}

} // namespace caelumen
