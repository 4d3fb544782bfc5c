#include "app/subs/subs_decisions.h"

#include "core/base/json.h"

#include <array>

namespace caelumen {
namespace {

constexpr std::array<std::pair<const char*, std::optional<double> ToldFacts::*>, 4> kToldNumbers{{{"exposure_s", &ToldFacts::exposure_s},
                                                                                                  {"gain_e_per_adu", &ToldFacts::gain_e_per_adu},
                                                                                                  {"latitude_deg", &ToldFacts::latitude_deg},
                                                                                                  {"longitude_deg", &ToldFacts::longitude_deg}}};

} // namespace

SubsRecipe asRecipe(const SubsDecisions& d) {
    SubsRecipe r;
    r.cull.keep = d.keep, r.cull.reject = d.reject, r.cull.limits = d.limits;
    r.combine = d.combine;
    r.mosaic = d.mosaic;
    r.flatSchool = d.flats;
    r.halves = d.halves, r.maps = d.maps;
    return r;
}

Json decisionsToJson(const SubsDecisions& d) {
    const Json recipe = subsRecipeToJson(asRecipe(d));
    Json out = {{"cull", recipe["cull"]},     {"combine", recipe["combine"]},
                {"mosaic", recipe["mosaic"]}, {"flat_school", recipe["flat_school"]},
                {"halves", d.halves},         {"maps", d.maps}};
    out["sources"] = Json::array();
    for (const QString& s : d.sources) out["sources"].push_back(s.toStdString());
    out["kinds"] = Json::object();
    for (const auto& [file, kind] : d.kinds) out["kinds"][file] = frameKindName(kind);
    out["told"] = Json::object();
    for (const auto& [file, t] : d.told) {
        Json facts = Json::object();
        for (const auto& [key, text] : {std::pair{"filter", &t.filter}, {"target", &t.target}, {"bayer", &t.bayer}})
            if (!text->empty()) facts[key] = *text;
        for (const auto& [key, member] : kToldNumbers)
            if (t.*member) facts[key] = *(t.*member);
        out["told"][file] = std::move(facts);
    }
    return out;
}

SubsDecisions decisionsFromJson(const Json& json) {
    SubsDecisions out;
    if (!json.is_object()) return out;
    // The part that a recipe's file has too is read by its reader; a light that does not exist stands for the list.
    Json recipe = json;
    recipe["caelumen_subs"] = 1;
    recipe["lights"] = Json::array({"/"});
    if (const auto read = subsRecipeFromJson(recipe, "the campaign", "/")) {
        out.keep = read->cull.keep, out.reject = read->cull.reject, out.limits = read->cull.limits;
        out.combine = read->combine, out.mosaic = read->mosaic, out.flats = read->flatSchool;
        out.halves = read->halves, out.maps = read->maps;
    }
    if (const auto it = json.find("sources"); it != json.end() && it->is_array())
        for (const Json& s : *it)
            if (s.is_string()) out.sources << QString::fromStdString(s.get<std::string>());
    if (const auto it = json.find("kinds"); it != json.end() && it->is_object())
        for (const auto& [file, kind] : it->items())
            for (const FrameKind k : {FrameKind::Light, FrameKind::Dark, FrameKind::Flat, FrameKind::Bias, FrameKind::FlatDark})
                if (kind.is_string() && kind.get<std::string>() == frameKindName(k)) out.kinds[file] = k;
    if (const auto it = json.find("told"); it != json.end() && it->is_object())
        for (const auto& [file, facts] : it->items()) {
            ToldFacts t;
            const auto text = [&facts = facts](const char* key) {
                return facts.is_object() && facts.contains(key) && facts[key].is_string() ? facts[key].get<std::string>() : std::string();
            };
            t.filter = text("filter"), t.target = text("target"), t.bayer = text("bayer");
            for (const auto& [key, member] : kToldNumbers)
                if (facts.is_object() && facts.contains(key) && facts[key].is_number()) t.*member = facts[key].get<double>();
            if (!(t == ToldFacts{})) out.told[file] = t;
        }
    if (const auto it = json.find("filters"); it != json.end() && it->is_object()) // as campaigns once kept it
        for (const auto& [file, filter] : it->items())
            if (filter.is_string()) out.told[file].filter = filter.get<std::string>();
    return out;
}

} // namespace caelumen
