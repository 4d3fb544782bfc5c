#include "core/palette/recipe.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/text.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <string_view>

namespace caelumen {
namespace {

PaletteInput inputFrom(const JsonFields& o) {
    PaletteInput in;
    in.stack = o.needText("stack");
    in.channel = o.text("channel");
    if (!in.channel.empty() && in.channel != "L" && in.channel != "R" && in.channel != "G" && in.channel != "B")
        o.fail(phrase("has a \"channel\" that is none of L, R, G, B"));
    in.line = o.text("line");
    if (!in.line.empty() && in.line != "Ha" && in.line != "OIII" && in.line != "SII") o.fail(phrase("has a \"line\" that is none of Ha, OIII, SII"));
    if (!in.line.empty() && !in.channel.empty()) o.fail(phrase("has both \"line\" and \"channel\"; give one"));
    in.curve = o.text("curve");
    in.camera = o.text("camera");
    in.sub_exposure_s = o.positive("sub_exposure_s");
    in.gain_e_per_adu = o.positive("gain_e_per_adu");
    in.pedestal_adu = o.number("pedestal_adu");
    in.sub_count = o.whole("sub_count", 1, 1'000'000);
    in.sum = o.oneOf("combine", false, {{"mean", false}, {"median", false}, {"sum", true}});
    if (const Json* also = o.list("also"))
        for (const Json& other : *also) {
            in.also.push_back(inputFrom(JsonFields(other, o.file(), phrase("a stack of \"also\""))));
            if (!in.also.back().also.empty()) o.fail(phrase("has \"also\" within \"also\"; list all stacks in one"));
        }
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
    for (const PaletteInput& other : in.also) o["also"].push_back(inputJson(other));
    return o;
}

constexpr std::array kChannels{"R", "G", "B"};
constexpr std::array<std::string_view, 7> kLights{"H", "O", "S", "L", "R", "G", "B"};

/// What a recipe says beside its stacks.
void takeIdea(const JsonFields& r, Recipe& out) {
    r.needFormat("caelumen_palette", "a recipe");
    out.name = r.text("name");
    const JsonFields map = r.object("map", "\"map\"");
    for (std::size_t c = 0; c < 3; ++c)
        for (const auto& [id, part] : map.items(kChannels[c])) {
            if (!part->is_number() || !std::isfinite(part->get<double>()) || std::abs(part->get<double>()) > 1e6)
                map.fail(phrase("needs a number for \"{}\" in {}", id, kChannels[c]));
            out.map[c][id] = part->get<double>();
        }
    if (std::all_of(out.map.begin(), out.map.end(), [](const auto& m) { return m.empty(); }))
        r.fail(phrase("needs a \"map\": what of the inputs goes into R, G and B"));
    out.background = r.oneOf("background", PaletteBackground::Subtract, {{"keep", PaletteBackground::Keep}, {"subtract", PaletteBackground::Subtract}});
    out.scale = r.oneOf("scale", PaletteScale::None,
                        {{"none", PaletteScale::None},
                         {"equal-noise", PaletteScale::EqualNoise},
                         {"equal-signal", PaletteScale::EqualSignal},
                         {"star-colours", PaletteScale::StarColours}});
    const JsonFields stars = r.object("stars", "\"stars\"");
    out.stars =
        stars.oneOf("mode", PaletteStars::Keep,
                    {{"keep", PaletteStars::Keep}, {"replace", PaletteStars::Replace}, {"desaturate", PaletteStars::Desaturate}, {"none", PaletteStars::None}});
    out.starsAmount = stars.numberOr("amount", 1, 0, 1);
    out.starsOnGalaxy = stars.flag("galaxy_too");
    if (const Json* detail = r.field("detail"); detail && !detail->is_null()) out.detailShare = r.object("detail", "\"detail\"").numberOr("share", 0.5, 0, 1);
    out.hours = r.object("time", "\"time\"").positive("hours", 1e5);
    const JsonFields stretch = r.object("stretch", "\"stretch\"");
    out.stretched = stretch.oneOf("kind", true, {{"shared", true}, {"none", false}});
    out.light = stretch.numberOr("light", 0.5, 0, 1);
    out.depth = stretch.numberOr("depth", 0.5, 0, 1);
}

Recipe recipeFrom(const JsonFields& r) {
    Recipe out;
    takeIdea(r, out);
    for (const auto& [id, input] : r.items("inputs")) {
        if (out.first.empty()) out.first = id; // the file's order counts
        out.inputs[id] = inputFrom(JsonFields(*input, r.file(), fmt::format("input \"{}\"", id)));
    }
    if (out.inputs.empty()) r.fail(phrase("needs \"inputs\": stacks to make the picture of"));
    for (std::size_t c = 0; c < 3; ++c)
        for (const auto& [id, part] : out.map[c])
            if (!out.inputs.count(id)) r.fail(phrase("takes \"{}\" for {}, which is none of the inputs", id, kChannels[c]));
    const JsonFields stars = r.object("stars", "\"stars\"");
    if (const Json* from = stars.field("from")) {
        if (from->is_string())
            out.starsFrom.stack = from->get<std::string>();
        else
            out.starsFrom = inputFrom(stars.object("from", phrase("\"from\" of the stars")));
    }
    if (out.stars == PaletteStars::Replace && out.starsFrom.stack.empty()) stars.fail(phrase("needs \"from\": the stack that the stars are taken from"));
    if (const Json* detail = r.field("detail"); detail && !detail->is_null()) out.detail = inputFrom(r.object("detail", "\"detail\""));
    out.first = r.text("grid", out.first);
    if (!out.inputs.count(out.first)) r.fail(phrase("takes \"{}\" for its grid, which is none of the inputs", out.first));
    return out;
}

} // namespace

Result<Recipe> recipeFromText(const std::string& text, const std::string& name) {
    const auto json = parseJson(text, name);
    if (!json) return json.error();
    return understood<Recipe>(name, [&] { return Result<Recipe>(recipeFrom(JsonFields(*json, name, phrase("the recipe")))); });
}

Result<Recipe> readRecipe(const std::filesystem::path& path) {
    const auto text = readText(path);
    return text ? recipeFromText(*text, shown(path)) : Result<Recipe>(text.error());
}

Result<Recipe> recipeIdeaFromText(const std::string& text, const std::string& name) {
    const auto json = parseJson(text, name);
    if (!json) return json.error();
    return understood<Recipe>(name, [&]() -> Result<Recipe> {
        const JsonFields r(*json, name, phrase("the recipe"));
        Recipe idea;
        takeIdea(r, idea);
        std::map<std::string, std::string> light; // of the file's inputs
        for (const auto& [id, input] : r.items("inputs")) {
            const PaletteInput in = inputFrom(JsonFields(*input, r.file(), fmt::format("input \"{}\"", id)));
            light[id] = in.line == "Ha" ? "H" : in.line == "OIII" ? "O" : in.line == "SII" ? "S" : !in.channel.empty() ? in.channel : id;
        }
        for (auto& channel : idea.map) {
            std::map<std::string, double> own;
            for (const auto& [id, part] : channel) {
                const std::string& lightName = light.count(id) ? light[id] : id;
                if (std::find(kLights.begin(), kLights.end(), lightName) == kLights.end())
                    r.fail(phrase("takes \"{}\", which is no light of a line or channel (H, O, S, L, R, G, B)", id));
                own[lightName] += part;
            }
            channel = std::move(own);
        }
        return idea;
    });
}

Json recipeIdeaToJson(const Recipe& r) {
    Json j{{"caelumen_palette", 1}};
    if (!r.name.empty()) j["name"] = r.name;
    for (std::size_t c = 0; c < 3; ++c) j["map"][kChannels[c]] = r.map[c];
    j["background"] = r.background == PaletteBackground::Keep ? "keep" : "subtract";
    constexpr std::array scales{"none", "equal-noise", "equal-signal", "star-colours"};
    j["scale"] = scales[static_cast<std::size_t>(r.scale)];
    constexpr std::array modes{"keep", "replace", "desaturate", "none"};
    j["stars"] = {{"mode", modes[static_cast<std::size_t>(r.stars)]}};
    if (r.stars == PaletteStars::Desaturate) j["stars"]["amount"] = r.starsAmount;
    if (r.starsOnGalaxy) j["stars"]["galaxy_too"] = true;
    if (r.detail) j["detail"]["share"] = r.detailShare;
    if (r.hours) j["time"] = {{"hours", *r.hours}};
    j["stretch"] = {{"kind", r.stretched ? "shared" : "none"}};
    if (r.stretched) j["stretch"]["light"] = r.light, j["stretch"]["depth"] = r.depth;
    return j;
}

Json recipeToJson(const Recipe& r) {
    Json j = recipeIdeaToJson(r);
    j["inputs"] = Json::object();
    for (const auto& [id, input] : r.inputs) j["inputs"][id] = inputJson(input);
    j["grid"] = r.first;
    if (!r.starsFrom.stack.empty()) j["stars"]["from"] = inputJson(r.starsFrom);
    if (r.detail) j["detail"].update(inputJson(*r.detail));
    return j;
}

std::vector<std::filesystem::path> filesOf(const Recipe& r, const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> out;
    const std::function<void(const PaletteInput&)> take = [&](const PaletteInput& in) {
        for (const std::string* file : {&in.stack, &in.curve})
            if (!file->empty()) out.push_back(folder / pathOf(*file));
        for (const PaletteInput& other : in.also) take(other);
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
