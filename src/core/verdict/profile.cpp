#include "core/verdict/profile.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/optics/camera.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct MoonWord {
    const char* word;
    double lit;
};
constexpr std::array kMoonWords{MoonWord{"none", 0}, MoonWord{"crescent", 0.2}, MoonWord{"half", 0.5}, MoonWord{"gibbous", 0.8}, MoonWord{"full", 1}};

/// Makes shares sum to one; whether they did not.
template<class Shares, class Of>
bool normalise(Shares& shares, Of of) {
    double sum = 0;
    for (auto& s : shares) sum += of(s);
    if (sum <= 0) return false;
    for (auto& s : shares) of(s) /= sum;
    return std::abs(sum - 1) > 1e-6;
}

Profile profileFrom(const JsonFields& p) {
    p.needFormat("caelumen_profile", "a profile");
    Profile out;
    out.name = p.text("name");
    for (const JsonFields& s : p.objects("skies", 1000)) {
        ProfileSky sky;
        sky.bortle = s.whole("bortle", 1, 9);
        sky.sky_mag = s.number("sky_mag", 14, 22.5);
        if (!sky.bortle && !sky.sky_mag) s.fail(phrase("needs a \"bortle\" class (1 to 9) or a \"sky_mag\""));
        sky.moon = s.text("moon", "none");
        if (std::none_of(kMoonWords.begin(), kMoonWords.end(), [&](const MoonWord& w) { return sky.moon == w.word; }))
            s.fail(phrase("has a moon \"{}\"; it must be none, crescent, half, gibbous or full", sky.moon));
        sky.share = s.numberOr("share", 1, 0, 1e9);
        out.skies.push_back(std::move(sky));
    }
    if (out.skies.empty()) p.fail(phrase("needs \"skies\": where it is worked, each with its share of the nights"));
    const JsonFields kinds = p.object("kinds", "\"kinds\"");
    for (const auto& [name, share] : p.items("kinds")) {
        const auto kind = targetKind(name);
        if (!kind) kinds.fail(phrase("names \"{}\"; it must be emission, oxygen, sulphur, galaxy, reflection or stars", name));
        out.kinds[*kind] = kinds.numberOr(name.c_str(), 0, 0, 1e9);
    }
    if (out.kinds.empty()) p.fail(phrase("needs \"kinds\": what is photographed, each with its share"));
    const JsonFields weights = p.object("weights", "\"weights\"");
    for (const auto& [name, weight] : p.items("weights")) {
        const auto merit = meritOf(name);
        if (!merit) weights.fail(phrase("names \"{}\"; it must be nebula, background, halo, star_colour or gradient", name));
        out.weights[static_cast<std::size_t>(*merit)] = weights.numberOr(name.c_str(), 0, 0, 1e6);
    }
    if (std::all_of(out.weights.begin(), out.weights.end(), [](double w) { return w == 0; }))
        p.fail(phrase("needs \"weights\" of which one at least is above zero"));
    out.anyHaloIsAFault = p.oneOf("halo", true, {{"any", true}, {"small is fine", false}});
    out.owned = p.text("owned");
    out.fRatio = p.number("f_ratio", 0.7, 100);
    out.camera = p.text("camera");
    const auto& cameras = typicalCameras();
    if (!out.camera.empty() && std::none_of(cameras.begin(), cameras.end(), [&](const Camera& c) { return c.id == out.camera; }))
        p.fail(phrase("has a camera \"{}\", which is none of the typical ones", out.camera));
    out.clearHours = p.numberOr("clear_hours_per_year", 0, 0, 8784);
    const JsonFields budget = p.object("budget", "\"budget\"");
    out.budget = budget.number("amount", 0, 1e9);
    out.currency = budget.text("currency");
    const JsonFields rates = p.object("rates", "\"rates\"");
    for (const auto& [name, rate] : p.items("rates")) {
        const auto value = rates.positive(name.c_str(), 1e9);
        if (!value) rates.fail(phrase("needs a number above zero for {}", name));
        out.rates[name] = *value;
    }
    double shares = 0, kindShares = 0;
    for (const ProfileSky& s : out.skies) shares += s.share;
    for (const auto& [kind, share] : out.kinds) kindShares += share;
    if (shares <= 0) p.fail(phrase("has skies whose shares are all zero"));
    if (kindShares <= 0) p.fail(phrase("has kinds whose shares are all zero"));
    if (normalise(out.skies, [](ProfileSky& s) -> double& { return s.share; }))
        out.notes.push_back(phrase("The shares of the skies sum to {:g}; they were made to sum to one.", shares));
    if (normalise(out.kinds, [](auto& k) -> double& { return k.second; }))
        out.notes.push_back(phrase("The shares of the kinds sum to {:g}; they were made to sum to one.", kindShares));
    return out;
}

} // namespace

const char* meritName(Merit m) {
    constexpr std::array names{"nebula", "background", "halo", "star_colour", "gradient"};
    return names[static_cast<std::size_t>(m)];
}
const char* meritLabel(Merit m) {
    constexpr std::array names{"Signal in a given time", "Dark background", "No halos", "True star colours", "Even sky"};
    return names[static_cast<std::size_t>(m)];
}
const char* meritNotice(Merit m) {
    constexpr std::array names{"a quarter more or less time", "a quarter of a magnitude of background", "0.2 % of a star's light in halos",
                               "a tenth of the range of star colours", "5 % more gradient over the frame"};
    return names[static_cast<std::size_t>(m)];
}
std::optional<Merit> meritOf(std::string_view name) {
    for (const Merit m : kMerits)
        if (name == meritName(m)) return m;
    return std::nullopt;
}

GridSky ProfileSky::sky() const {
    std::optional<GridMoon> up;
    for (const MoonWord& w : kMoonWords)
        if (moon == w.word && w.lit > 0) up = GridMoon{w.lit, 45, 60};
    return sky_mag ? skyOfReading(*sky_mag, up) : skyOfClass(bortle.value_or(5), up);
}

Result<Profile> profileFromText(const std::string& text, const std::string& name) {
    const auto json = parseJson(text, name);
    if (!json) return json.error();
    return understood<Profile>(name, [&] { return Result<Profile>(profileFrom(JsonFields(*json, name, phrase("the profile")))); });
}

Result<Profile> readProfile(const std::filesystem::path& path) {
    const auto text = readText(path);
    return text ? profileFromText(*text, shown(path)) : Result<Profile>(text.error());
}

Json profileToJson(const Profile& p) {
    Json j{{"caelumen_profile", 1}};
    if (!p.name.empty()) j["name"] = p.name;
    j["skies"] = Json::array();
    for (const ProfileSky& s : p.skies) {
        Json o = Json::object();
        if (s.sky_mag) o["sky_mag"] = *s.sky_mag;
        if (s.bortle) o["bortle"] = *s.bortle;
        o["moon"] = s.moon, o["share"] = s.share;
        j["skies"].push_back(std::move(o));
    }
    j["kinds"] = Json::object();
    for (const auto& [kind, share] : p.kinds) j["kinds"][targetKindName(kind)] = share;
    j["weights"] = Json::object();
    for (const Merit m : kMerits) j["weights"][meritName(m)] = p.weights[static_cast<std::size_t>(m)];
    j["halo"] = p.anyHaloIsAFault ? "any" : "small is fine";
    if (!p.owned.empty()) j["owned"] = p.owned;
    if (p.fRatio) j["f_ratio"] = *p.fRatio;
    if (!p.camera.empty()) j["camera"] = p.camera;
    j["clear_hours_per_year"] = p.clearHours;
    if (p.budget || !p.currency.empty()) {
        j["budget"] = Json::object();
        if (p.budget) j["budget"]["amount"] = *p.budget;
        if (!p.currency.empty()) j["budget"]["currency"] = p.currency;
    }
    if (!p.rates.empty()) j["rates"] = p.rates;
    return j;
}

GridSetting settingOf(const Profile& profile) {
    GridSetting out;
    out.fRatio = profile.fRatio;
    if (!profile.camera.empty()) out.camera = typicalCamera(profile.camera);
    return out;
}

const std::vector<Profile>& startProfiles() {
    static const std::vector<Profile> all = [] {
        const auto make = [](const char* name, std::vector<ProfileSky> skies, std::map<TargetKind, double> kinds, std::array<double, 5> weights, double hours) {
            Profile p;
            p.name = name, p.skies = std::move(skies), p.kinds = std::move(kinds), p.weights = weights, p.clearHours = hours;
            return p;
        };
        const auto sky = [](int bortle, const char* moon, double share) { return ProfileSky{bortle, std::nullopt, moon, share}; };
        using K = TargetKind;
        return std::vector<Profile>{
            make("City balcony", {sky(8, "none", 0.6), sky(8, "full", 0.4)}, {{K::Emission, 0.8}, {K::Oxygen, 0.2}}, {3, 2, 1, 0, 1}, 100),
            make("Suburb with a moonlit week", {sky(5, "none", 0.6), sky(5, "half", 0.25), sky(5, "full", 0.15)},
                 {{K::Emission, 0.6}, {K::Oxygen, 0.2}, {K::Galaxy, 0.2}}, {3, 1, 2, 1, 1}, 160),
            make("Dry plateau", {sky(3, "none", 0.8), sky(3, "half", 0.2)}, {{K::Emission, 0.5}, {K::Oxygen, 0.2}, {K::Reflection, 0.3}}, {3, 0, 2, 2, 0}, 220),
            make("Galaxies", {sky(4, "none", 1)}, {{K::Galaxy, 1}}, {3, 1, 1, 2, 1}, 140),
            make("Beginner with one filter", {sky(6, "none", 0.7), sky(6, "half", 0.3)}, {{K::Emission, 0.6}, {K::Galaxy, 0.2}, {K::Stars, 0.2}},
                 {2, 1, 1, 1, 1}, 80),
        };
    }();
    return all;
}

} // namespace caelumen
