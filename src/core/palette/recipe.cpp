#include "core/palette/recipe.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/text.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

PaletteInput inputFrom(const JsonFields& o) {
    PaletteInput in;
    in.stack = o.needText("stack");
    in.channel = o.text("channel");
    if (!in.channel.empty() && in.channel != "L" && in.channel != "R" && in.channel != "G" && in.channel != "B")
        o.fail("has a \"channel\" that is none of L, R, G, B");
    in.line = o.text("line");
    if (!in.line.empty() && in.line != "Ha" && in.line != "OIII" && in.line != "SII") o.fail("has a \"line\" that is none of Ha, OIII, SII");
    if (!in.line.empty() && !in.channel.empty()) o.fail("has both \"line\" and \"channel\"; give one");
    in.curve = o.text("curve");
    in.camera = o.text("camera");
    in.sub_exposure_s = o.positive("sub_exposure_s");
    in.gain_e_per_adu = o.positive("gain_e_per_adu");
    in.pedestal_adu = o.number("pedestal_adu");
    in.sub_count = o.whole("sub_count", 1, 1'000'000);
    in.sum = o.oneOf("combine", false, {{"mean", false}, {"median", false}, {"sum", true}});
    return in;
}

Json inputJson(const PaletteInput& in) {
    Json o{{"stack", in.stack}};
    if (!in.channel.empty()) o["channel"] = in.channel;
    if (!in.line.empty()) o["line"] = in.line;
    if (!in.curve.empty()) o["curve"] = in.curve;
    if (!in.camera.empty()) o["camera"] = in.camera;
    if (in.sub_exposure_s) o["sub_exposure_s"] = *in.sub_exposure_s;
    if (in.gain_e_per_adu) o["gain_e_per_adu"] = *in.gain_e_per_adu;
    if (in.pedestal_adu) o["pedestal_adu"] = *in.pedestal_adu;
    if (in.sub_count) o["sub_count"] = *in.sub_count;
    if (in.sum) o["combine"] = "sum";
    return o;
}

constexpr std::array kChannels{"R", "G", "B"};

Recipe recipeFrom(const JsonFields& r) {
    r.needFormat("caelumen_palette", "a recipe");
    Recipe out;
    out.name = r.text("name");
    for (const auto& [id, input] : r.items("inputs")) {
        if (out.first.empty()) out.first = id; // the file's order counts
        out.inputs[id] = inputFrom(JsonFields(*input, r.file(), fmt::format("input \"{}\"", id)));
    }
    if (out.inputs.empty()) r.fail("needs \"inputs\": stacks to make the picture of");
    const JsonFields map = r.object("map", "\"map\"");
    for (std::size_t c = 0; c < 3; ++c)
        for (const auto& [id, part] : map.items(kChannels[c])) {
            if (!out.inputs.count(id)) map.fail(fmt::format("takes \"{}\" for {}, which is none of the inputs", id, kChannels[c]));
            if (!part->is_number() || !std::isfinite(part->get<double>()) || std::abs(part->get<double>()) > 1e6)
                map.fail(fmt::format("needs a number for \"{}\" in {}", id, kChannels[c]));
            out.map[c][id] = part->get<double>();
        }
    if (std::all_of(out.map.begin(), out.map.end(), [](const auto& m) { return m.empty(); }))
        r.fail("needs a \"map\": what of the inputs goes into R, G and B");
    out.background = r.oneOf("background", PaletteBackground::Subtract, {{"keep", PaletteBackground::Keep}, {"subtract", PaletteBackground::Subtract}});
    out.scale = r.oneOf("scale", PaletteScale::None,
                        {{"none", PaletteScale::None}, {"equal-noise", PaletteScale::EqualNoise}, {"equal-signal", PaletteScale::EqualSignal}});
    const JsonFields stars = r.object("stars", "\"stars\"");
    out.stars =
        stars.oneOf("mode", PaletteStars::Keep,
                    {{"keep", PaletteStars::Keep}, {"replace", PaletteStars::Replace}, {"desaturate", PaletteStars::Desaturate}, {"none", PaletteStars::None}});
    if (const Json* from = stars.field("from")) {
        if (from->is_string())
            out.starsFrom.stack = from->get<std::string>();
        else
            out.starsFrom = inputFrom(stars.object("from", "\"from\" of the stars"));
    }
    if (out.stars == PaletteStars::Replace && out.starsFrom.stack.empty()) stars.fail("needs \"from\": the stack that the stars are taken from");
    out.starsAmount = stars.numberOr("amount", 1, 0, 1);
    out.starsOnGalaxy = stars.flag("galaxy_too");
    if (const Json* detail = r.field("detail"); detail && !detail->is_null()) {
        const JsonFields d = r.object("detail", "\"detail\"");
        out.detail = inputFrom(d);
        out.detailShare = d.numberOr("share", 0.5, 0, 1);
    }
    const JsonFields stretch = r.object("stretch", "\"stretch\"");
    out.stretched = stretch.oneOf("kind", true, {{"shared", true}, {"none", false}});
    out.light = stretch.numberOr("light", 0.5, 0, 1);
    out.depth = stretch.numberOr("depth", 0.5, 0, 1);
    out.first = r.text("grid", out.first);
    if (!out.inputs.count(out.first)) r.fail(fmt::format("takes \"{}\" for its grid, which is none of the inputs", out.first));
    return out;
}

} // namespace

Result<Recipe> recipeFromText(const std::string& text, const std::string& name) {
    const auto json = parseJson(text, name);
    if (!json) return json.error();
    return understood<Recipe>(name, [&] { return Result<Recipe>(recipeFrom(JsonFields(*json, name, "the recipe"))); });
}

Result<Recipe> readRecipe(const std::filesystem::path& path) {
    const auto text = readText(path);
    return text ? recipeFromText(*text, shown(path)) : Result<Recipe>(text.error());
}

Json recipeToJson(const Recipe& r) {
    Json j{{"caelumen_palette", 1}};
    if (!r.name.empty()) j["name"] = r.name;
    j["inputs"] = Json::object();
    for (const auto& [id, input] : r.inputs) j["inputs"][id] = inputJson(input);
    j["grid"] = r.first;
    for (std::size_t c = 0; c < 3; ++c) j["map"][kChannels[c]] = r.map[c];
    j["background"] = r.background == PaletteBackground::Keep ? "keep" : "subtract";
    j["scale"] = r.scale == PaletteScale::None ? "none" : r.scale == PaletteScale::EqualNoise ? "equal-noise" : "equal-signal";
    constexpr std::array modes{"keep", "replace", "desaturate", "none"};
    j["stars"] = {{"mode", modes[static_cast<std::size_t>(r.stars)]}};
    if (!r.starsFrom.stack.empty()) j["stars"]["from"] = inputJson(r.starsFrom);
    if (r.stars == PaletteStars::Desaturate) j["stars"]["amount"] = r.starsAmount;
    if (r.starsOnGalaxy) j["stars"]["galaxy_too"] = true;
    if (r.detail) {
        j["detail"] = inputJson(*r.detail);
        j["detail"]["share"] = r.detailShare;
    }
    j["stretch"] = {{"kind", r.stretched ? "shared" : "none"}};
    if (r.stretched) j["stretch"]["light"] = r.light, j["stretch"]["depth"] = r.depth;
    return j;
}

std::vector<std::filesystem::path> filesOf(const Recipe& r, const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> out;
    const auto take = [&](const PaletteInput& in) {
        for (const std::string* file : {&in.stack, &in.curve})
            if (!file->empty()) out.push_back(folder / pathOf(*file));
    };
    for (const auto& [id, input] : r.inputs) take(input);
    take(r.starsFrom);
    if (r.detail) take(*r.detail);
    return out;
}

const std::vector<RecipeStart>& recipeStarts() {
    static const std::vector<RecipeStart> all{
        {"hydrogen-oxygen", "Hydrogen, oxygen, oxygen", {{{{"H", 1}}, {{"O", 1}}, {{"O", 1}}}}},
        {"sulphur-hydrogen-oxygen", "Sulphur, hydrogen, oxygen", {{{{"S", 1}}, {{"H", 1}}, {{"O", 1}}}}},
        {"natural", "Natural: hydrogen as seen, oxygen shared", {{{{"H", 1}}, {{"O", 0.75}, {"H", 0.1}}, {{"O", 0.65}, {"H", 0.2}}}}},
        {"colour", "As the camera sees it", {{{{"R", 1}}, {{"G", 1}}, {{"B", 1}}}}},
        {"one-line", "One line as brightness", {{{{"L", 1}}, {{"L", 1}}, {{"L", 1}}}}},
    };
    return all;
}

} // namespace caelumen
