#include "core/prepare/subs.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <fnmatch.h>
#include <glob.h>
#include <memory>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

struct Bad {
    std::string message;
};

/// Files of a list of names and patterns, each once, in the order of the list and by name within a pattern.
std::vector<fs::path> filesOf(const Json& json, const char* key, const std::string& name, const fs::path& folder, bool needed) {
    std::vector<fs::path> out;
    const auto it = json.find(key);
    if (it != json.end() && !it->is_null()) {
        if (!it->is_array()) throw Bad{fmt::format("{}: \"{}\" must be a list of file names in square brackets.", name, key)};
        if (it->size() > 200'000) throw Bad{fmt::format("{}: \"{}\" has far too many entries.", name, key)};
        for (const Json& entry : *it) {
            if (!entry.is_string()) throw Bad{fmt::format("{}: \"{}\" must hold file names as text.", name, key)};
            const auto pattern = entry.get<std::string>();
            const fs::path full = folder / pathOf(pattern);
            std::error_code failed;
            if (fs::exists(full, failed)) {
                out.push_back(full);
                continue;
            }
            glob_t found{};
            const std::unique_ptr<glob_t, void (*)(glob_t*)> freed(&found, ::globfree);
            if (::glob(full.c_str(), 0, nullptr, &found) != 0)
                throw Bad{fmt::format("{}: \"{}\" names {}, which matches no file; check the name and the folder.", name, key, shown(full))};
            for (std::size_t i = 0; i < found.gl_pathc; ++i) out.emplace_back(found.gl_pathv[i]);
        }
    }
    std::vector<fs::path> once;
    for (fs::path& p : out)
        if (std::find(once.begin(), once.end(), p) == once.end()) once.push_back(std::move(p));
    if (needed && once.empty()) throw Bad{fmt::format("{}: \"lights\" names no file; list the subs there.", name)};
    return once;
}

const Json* object(const Json& json, const char* key, const std::string& name) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return nullptr;
    if (!it->is_object()) throw Bad{fmt::format("{}: \"{}\" must be an object in braces.", name, key)};
    return &*it;
}

std::string word(const Json& json, const char* key, const std::string& name, const std::string& otherwise) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return otherwise;
    if (!it->is_string()) throw Bad{fmt::format("{}: \"{}\" must be text.", name, key)};
    return it->get<std::string>();
}

template<class T>
T oneOf(const Json& json, const char* key, const std::string& name, T otherwise, std::initializer_list<std::pair<const char*, T>> words) {
    const std::string given = word(json, key, name, "");
    if (given.empty()) return otherwise;
    std::string all;
    for (const auto& [text, value] : words) {
        if (given == text) return value;
        all += (all.empty() ? "" : ", ") + std::string(text);
    }
    throw Bad{fmt::format("{}: \"{}\" is \"{}\"; it must be one of {}.", name, key, given, all)};
}

void number(const Json& json, const char* key, const std::string& name, double& to, double low, double high) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return;
    if (!it->is_number() || !(it->get<double>() >= low) || it->get<double>() > high) throw Bad{fmt::format("{}: \"{}\" must be a number from {:g} to {:g}.", name, key, low, high)};
    to = it->get<double>();
}

void flag(const Json& json, const char* key, const std::string& name, bool& to) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return;
    if (!it->is_boolean()) throw Bad{fmt::format("{}: \"{}\" must be true or false.", name, key)};
    to = it->get<bool>();
}

std::vector<std::string> names(const Json& json, const char* key, const std::string& name) {
    std::vector<std::string> out;
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return out;
    if (!it->is_array()) throw Bad{fmt::format("{}: \"{}\" must be a list of file names.", name, key)};
    for (const Json& entry : *it) {
        if (!entry.is_string()) throw Bad{fmt::format("{}: \"{}\" must hold file names as text.", name, key)};
        out.push_back(entry.get<std::string>());
    }
    return out;
}

constexpr std::initializer_list<std::pair<const char*, MosaicMode>> kModes{{"half", MosaicMode::Half}, {"full", MosaicMode::Full}};
constexpr std::initializer_list<std::pair<const char*, Combination>> kMethods{{"mean", Combination::Mean}, {"median", Combination::Median}};
constexpr std::initializer_list<std::pair<const char*, Rejection>> kRejections{{"none", Rejection::None}, {"sigma", Rejection::Sigma}, {"winsor", Rejection::Winsor}};
constexpr std::initializer_list<std::pair<const char*, Normalising>> kNormalisings{{"none", Normalising::None}, {"level", Normalising::Level}, {"level+scale", Normalising::LevelAndScale}};
constexpr std::initializer_list<std::pair<const char*, FlatSchool>> kSchools{{"divide", FlatSchool::Divide}, {"subtract", FlatSchool::Subtract}};

template<class T>
const char* wordOf(T value, std::initializer_list<std::pair<const char*, T>> words) {
    for (const auto& [text, v] : words)
        if (v == value) return text;
    return "";
}

} // namespace

Result<SubsRecipe> subsRecipeFromJson(const Json& json, const std::string& name, const fs::path& folder) {
    try {
        if (!json.is_object()) return Error{fmt::format("{}: the recipe must be an object in braces.", name)};
        const auto version = json.find("caelumen_subs");
        if (version == json.end() || !version->is_number_integer()) return Error{fmt::format("{} has no \"caelumen_subs\"; it is not a list of subs.", name)};
        if (*version != 1) return Error{fmt::format("{} is of format {}; this program reads format 1.", name, jsonText(*version))};
        SubsRecipe out;
        // Rig, run, place and target are those of a trial, and are read as such.
        Json run = Json::object();
        if (const Json* given = object(json, "run", name)) run = *given;
        if (!run.contains("id")) run["id"] = "A";
        if (!run.contains("filter") || (run["filter"].is_string() && run["filter"].get<std::string>().empty())) run["filter"] = "unknown";
        run["stack"] = "stack.fits";
        run["baseline"] = true;
        Json trial = {{"caelumen_trial", 1}, {"filters", Json::array({{{"id", run["filter"]}}})}, {"runs", Json::array({run})}, {"regions", Json::array()}};
        for (const char* key : {"rig", "site", "target"})
            if (const Json* given = object(json, key, name)) trial[key] = *given;
        auto read = trialFromJson(trial, name);
        if (!read) return read.error();
        out.rig = read->rig;
        out.site = read->site;
        out.target = read->target;
        out.run = read->runs.front();
        out.run.stack.clear();
        out.run.baseline = false;

        out.mosaic = oneOf(json, "mosaic", name, out.mosaic, kModes);
        out.lights = filesOf(json, "lights", name, folder, true);
        out.darks = filesOf(json, "darks", name, folder, false);
        out.flats = filesOf(json, "flats", name, folder, false);
        out.biases = filesOf(json, "biases", name, folder, false);
        out.flatDarks = filesOf(json, "flat_darks", name, folder, false);
        out.flatSchool = oneOf(json, "flat_school", name, out.flatSchool, kSchools);
        if (const Json* c = object(json, "combine", name)) {
            out.combine.method = oneOf(*c, "method", name, out.combine.method, kMethods);
            out.combine.reject = oneOf(*c, "reject", name, out.combine.reject, kRejections);
            out.combine.normalise = oneOf(*c, "normalise", name, out.combine.normalise, kNormalisings);
            out.combine.weightByNoise = oneOf<bool>(*c, "weights", name, false, {{"equal", false}, {"noise", true}});
            number(*c, "low", name, out.combine.low, 1, 100);
            number(*c, "high", name, out.combine.high, 1, 100);
        }
        if (const Json* c = object(json, "cull", name)) {
            flag(*c, "auto", name, out.cull.automatic);
            out.cull.keep = names(*c, "keep", name);
            out.cull.reject = names(*c, "reject", name);
            if (const Json* l = object(*c, "limits", name)) {
                CullLimits& to = out.cull.limits;
                number(*l, "transparency", name, to.transparency, 0, 1);
                number(*l, "fwhm", name, to.fwhm, 1, 100);
                number(*l, "eccentricity", name, to.eccentricity, 0, 1);
                number(*l, "sky", name, to.sky, 1, 1000);
                number(*l, "stars", name, to.stars, 0, 1);
                number(*l, "vignette", name, to.vignette, 0, 100);
            }
        }
        out.reference = word(json, "reference", name, "");
        flag(json, "halves", name, out.halves);
        flag(json, "maps", name, out.maps);
        return out;
    } catch (const Bad& bad) {
        return Error{bad.message};
    } catch (const nlohmann::json::exception& e) {
        return Error{fmt::format("{} cannot be understood ({}); correct it there.", name, e.what())};
    }
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
    Json out = {{"caelumen_subs", 1}, {"rig", whole["rig"]}, {"site", whole["site"]}, {"target", whole["target"]}, {"run", run}, {"mosaic", wordOf(r.mosaic, kModes)}};
    out["lights"] = list(r.lights);
    out["darks"] = list(r.darks);
    out["flats"] = list(r.flats);
    out["biases"] = list(r.biases);
    out["flat_darks"] = list(r.flatDarks);
    out["flat_school"] = wordOf(r.flatSchool, kSchools);
    out["combine"] = {{"method", wordOf(r.combine.method, kMethods)}, {"reject", wordOf(r.combine.reject, kRejections)}, {"low", r.combine.low}, {"high", r.combine.high},
                      {"normalise", wordOf(r.combine.normalise, kNormalisings)}, {"weights", r.combine.weightByNoise ? "noise" : "equal"}};
    const CullLimits& l = r.cull.limits;
    out["cull"] = {{"auto", r.cull.automatic}, {"keep", r.cull.keep}, {"reject", r.cull.reject},
                   {"limits", {{"transparency", l.transparency}, {"fwhm", l.fwhm}, {"eccentricity", l.eccentricity}, {"sky", l.sky}, {"stars", l.stars}, {"vignette", l.vignette}}}};
    out["reference"] = r.reference.empty() ? Json(nullptr) : Json(r.reference);
    out["halves"] = r.halves;
    out["maps"] = r.maps;
    return out;
}

std::vector<fs::path> filesOf(const SubsRecipe& recipe) {
    std::vector<fs::path> out;
    for (const auto* list : {&recipe.lights, &recipe.darks, &recipe.flats, &recipe.biases, &recipe.flatDarks}) out.insert(out.end(), list->begin(), list->end());
    return out;
}

Facts factsOf(const SubsRecipe& recipe, const FrameFacts& header) { return resolveFacts(recipe.rig, recipe.run.rig, &header); }

bool isMeant(const fs::path& file, const std::string& pattern) {
    if (pattern.empty()) return false;
    const std::string whole = nameText(file), bare = nameText(file.filename());
    if (whole == pattern || bare == pattern || ::fnmatch(pattern.c_str(), bare.c_str(), 0) == 0 || ::fnmatch(pattern.c_str(), whole.c_str(), 0) == 0) return true;
    return whole.size() > pattern.size() && whole.ends_with(pattern) && whole[whole.size() - pattern.size() - 1] == '/';
}

} // namespace caelumen
