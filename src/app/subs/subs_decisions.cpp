#include "app/subs/subs_decisions.h"

#include "core/base/json.h"

namespace caelumen {

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
    Json out = {{"cull", recipe["cull"]}, {"combine", recipe["combine"]}, {"mosaic", recipe["mosaic"]}, {"flat_school", recipe["flat_school"]}, {"halves", d.halves}, {"maps", d.maps}};
    out["sources"] = Json::array();
    for (const QString& s : d.sources) out["sources"].push_back(s.toStdString());
    out["kinds"] = Json::object();
    for (const auto& [file, kind] : d.kinds) out["kinds"][file] = frameKindName(kind);
    out["filters"] = Json::object();
    for (const auto& [file, filter] : d.filters) out["filters"][file] = filter;
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
    if (const auto it = json.find("filters"); it != json.end() && it->is_object())
        for (const auto& [file, filter] : it->items())
            if (filter.is_string()) out.filters[file] = filter.get<std::string>();
    return out;
}

} // namespace caelumen
