#include "core/prepare/subs.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <fnmatch.h>
#include <glob.h>
#include <memory>
#include <set>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kMostFiles = 200'000;

/// Files of a list of names and patterns, each once, in the order of the list and by name within a pattern.
std::vector<fs::path> filesOf(const JsonFields& r, const char* key, const fs::path& folder) {
    std::vector<fs::path> out;
    for (const std::string& pattern : r.texts(key, kMostFiles)) {
        const fs::path full = folder / pathOf(pattern);
        std::error_code failed;
        if (fs::exists(full, failed)) {
            out.push_back(full);
            continue;
        }
        glob_t found{};
        const std::unique_ptr<glob_t, void (*)(glob_t*)> freed(&found, ::globfree);
        if (::glob(full.c_str(), 0, nullptr, &found) != 0)
            r.fail(phrase("has \"{}\" that names {}, which matches no file; check the name and the folder", key, shown(full)));
        for (std::size_t i = 0; i < found.gl_pathc; ++i) out.emplace_back(found.gl_pathv[i]);
    }
    std::vector<fs::path> once;
    std::set<fs::path> seen;
    for (fs::path& p : out)
        if (seen.insert(p).second) once.push_back(std::move(p));
    return once;
}

constexpr std::initializer_list<std::pair<const char*, MosaicMode>> kModes{{"half", MosaicMode::Half}, {"full", MosaicMode::Full}};
constexpr std::initializer_list<std::pair<const char*, Combination>> kMethods{{"mean", Combination::Mean}, {"median", Combination::Median}};
constexpr std::initializer_list<std::pair<const char*, Rejection>> kRejections{
    {"none", Rejection::None}, {"sigma", Rejection::Sigma}, {"winsor", Rejection::Winsor}};
constexpr std::initializer_list<std::pair<const char*, Normalising>> kNormalisings{
    {"none", Normalising::None}, {"level", Normalising::Level}, {"level+scale", Normalising::LevelAndScale}};
constexpr std::initializer_list<std::pair<const char*, FlatSchool>> kSchools{{"divide", FlatSchool::Divide}, {"subtract", FlatSchool::Subtract}};

template<class T>
const char* wordOf(T value, std::initializer_list<std::pair<const char*, T>> words) {
    for (const auto& [text, v] : words)
        if (v == value) return text;
    return "";
}

} // namespace

Result<SubsRecipe> subsRecipeFromJson(const Json& json, const std::string& name, const fs::path& folder) {
    return understood<SubsRecipe>(name, [&]() -> Result<SubsRecipe> {
        const JsonFields r(json, name, phrase("the recipe"));
        r.needFormat("caelumen_subs", "a list of subs");
        SubsRecipe out;
        // Rig, run, place and target are those of a trial, and are read as such.
        Json run = Json::object();
        if (const Json* given = r.field("run")) run = *given;
        if (!run.is_object()) r.fail(phrase("has \"run\" that must be an object in braces"));
        if (!run.contains("id")) run["id"] = "A";
        if (!run.contains("filter") || (run["filter"].is_string() && run["filter"].get<std::string>().empty())) run["filter"] = "unknown";
        run["stack"] = "stack.fits";
        run["baseline"] = true;
        Json trial = {{"caelumen_trial", 1}, {"filters", Json::array({{{"id", run["filter"]}}})}, {"runs", Json::array({run})}, {"regions", Json::array()}};
        for (const char* key : {"rig", "site", "target"})
            if (const Json* given = r.field(key)) trial[key] = *given;
        auto read = trialFromJson(trial, name);
        if (!read) return read.error();
        out.rig = read->rig;
        out.site = read->site;
        out.target = read->target;
        out.run = read->runs.front();
        out.run.stack.clear();
        out.run.baseline = false;

        out.mosaic = r.oneOf("mosaic", out.mosaic, kModes);
        out.lights = filesOf(r, "lights", folder);
        if (out.lights.empty()) r.fail(phrase("has \"lights\" that names no file; list the subs there"));
        out.darks = filesOf(r, "darks", folder);
        out.flats = filesOf(r, "flats", folder);
        out.biases = filesOf(r, "biases", folder);
        out.flatDarks = filesOf(r, "flat_darks", folder);
        out.flatSchool = r.oneOf("flat_school", out.flatSchool, kSchools);
        const JsonFields combine = r.object("combine");
        out.combine.method = combine.oneOf("method", out.combine.method, kMethods);
        out.combine.reject = combine.oneOf("reject", out.combine.reject, kRejections);
        out.combine.normalise = combine.oneOf("normalise", out.combine.normalise, kNormalisings);
        out.combine.weightByNoise = combine.oneOf<bool>("weights", out.combine.weightByNoise, {{"equal", false}, {"noise", true}});
        out.combine.low = combine.numberOr("low", out.combine.low, 1, 100);
        out.combine.high = combine.numberOr("high", out.combine.high, 1, 100);
        const JsonFields cull = r.object("cull");
        out.cull.automatic = cull.flag("auto", out.cull.automatic);
        out.cull.keep = cull.texts("keep", kMostFiles);
        out.cull.reject = cull.texts("reject", kMostFiles);
        const JsonFields limits = cull.object("limits");
        CullLimits& to = out.cull.limits;
        to.transparency = limits.numberOr("transparency", to.transparency, 0, 1);
        to.fwhm = limits.numberOr("fwhm", to.fwhm, 1, 100);
        to.eccentricity = limits.numberOr("eccentricity", to.eccentricity, 0, 1);
        to.sky = limits.numberOr("sky", to.sky, 1, 1000);
        to.stars = limits.numberOr("stars", to.stars, 0, 1);
        to.vignette = limits.numberOr("vignette", to.vignette, 0, 100);
        to.tilt = limits.numberOr("tilt", to.tilt, 0, 100);
        out.reference = r.text("reference");
        out.halves = r.flag("halves", out.halves);
        out.maps = r.flag("maps", out.maps);
        if (r.field("night_scale")) {
            const JsonFields scale = r.object("night_scale");
            out.nightScale = NightScale{scale.numberOr("factor", 1, 1e-3, 1e3), scale.numberOr("sigma", 0, 0, 1e3)};
        }
        return out;
    });
}

Result<SubsRecipe> readSubsRecipe(const fs::path& path) {
    const auto json = readJson(path);
    if (!json) return json.error();
    return subsRecipeFromJson(*json, shown(path), path.parent_path());
}

Json subsRecipeToJson(const SubsRecipe& r) {
    Trial trial;
    trial.rig = r.rig;
    trial.site = r.site;
    trial.target = r.target;
    trial.runs = {r.run};
    const Json whole = trialToJson(trial);
    Json run = whole["runs"][0];
    run.erase("stack");
    run.erase("combine");
    const auto list = [](const std::vector<fs::path>& files) {
        Json out = Json::array();
        for (const fs::path& f : files) out.push_back(nameText(f));
        return out;
    };
    Json out = {{"caelumen_subs", 1},        {"rig", whole["rig"]}, {"site", whole["site"]},
                {"target", whole["target"]}, {"run", run},          {"mosaic", wordOf(r.mosaic, kModes)}};
    out["lights"] = list(r.lights);
    out["darks"] = list(r.darks);
    out["flats"] = list(r.flats);
    out["biases"] = list(r.biases);
    out["flat_darks"] = list(r.flatDarks);
    out["flat_school"] = wordOf(r.flatSchool, kSchools);
    out["combine"] = {{"method", wordOf(r.combine.method, kMethods)},
                      {"reject", wordOf(r.combine.reject, kRejections)},
                      {"low", r.combine.low},
                      {"high", r.combine.high},
                      {"normalise", wordOf(r.combine.normalise, kNormalisings)},
                      {"weights", r.combine.weightByNoise ? "noise" : "equal"}};
    const CullLimits& l = r.cull.limits;
    out["cull"] = {{"auto", r.cull.automatic},
                   {"keep", r.cull.keep},
                   {"reject", r.cull.reject},
                   {"limits",
                    {{"transparency", l.transparency},
                     {"fwhm", l.fwhm},
                     {"eccentricity", l.eccentricity},
                     {"sky", l.sky},
                     {"stars", l.stars},
                     {"vignette", l.vignette},
                     {"tilt", l.tilt}}}};
    out["reference"] = r.reference.empty() ? Json(nullptr) : Json(r.reference);
    out["halves"] = r.halves;
    out["maps"] = r.maps;
    if (r.nightScale) out["night_scale"] = {{"factor", r.nightScale->factor}, {"sigma", r.nightScale->sigma}};
    return out;
}

std::vector<fs::path> filesOf(const SubsRecipe& recipe) {
    std::vector<fs::path> out;
    for (const auto* list : {&recipe.lights, &recipe.darks, &recipe.flats, &recipe.biases, &recipe.flatDarks})
        out.insert(out.end(), list->begin(), list->end());
    return out;
}

Facts factsOf(const SubsRecipe& recipe, const FrameFacts& header) {
    return resolveFacts(recipe.rig, recipe.run.rig, &header);
}

bool isMeant(const fs::path& file, const std::string& pattern) {
    if (pattern.empty()) return false;
    const std::string whole = nameText(file), bare = nameText(file.filename());
    if (whole == pattern || bare == pattern || ::fnmatch(pattern.c_str(), bare.c_str(), 0) == 0 || ::fnmatch(pattern.c_str(), whole.c_str(), 0) == 0)
        return true;
    return whole.size() > pattern.size() && whole.ends_with(pattern) && whole[whole.size() - pattern.size() - 1] == '/';
}

} // namespace caelumen
