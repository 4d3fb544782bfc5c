#include "core/merge/share_file.h"

#include "core/base/json.h"

#include <array>
#include <cmath>

namespace caelumen {
namespace {

constexpr char kDigits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/// Base64 (RFC 4648).
std::string encoded(const std::string& bytes) {
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        unsigned v = 0;
        for (std::size_t k = 0; k < 3; ++k) v = v << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
        for (std::size_t k = 0; k < 4; ++k) out += i + k > bytes.size() ? '=' : kDigits[v >> (18 - 6 * k) & 63];
    }
    return out;
}

std::string decoded(const std::string& text) {
    std::array<int, 256> value{};
    value.fill(-1);
    for (int i = 0; i < 64; ++i) value[static_cast<unsigned char>(kDigits[i])] = i;
    std::string out;
    unsigned v = 0;
    int bits = 0;
    for (const char c : text) {
        const int digit = value[static_cast<unsigned char>(c)];
        if (digit < 0) continue;
        v = v << 6 | static_cast<unsigned>(digit), bits += 6;
        if (bits >= 8) bits -= 8, out += static_cast<char>(v >> bits & 255);
    }
    return out;
}

constexpr const char* kPng = "data:image/png;base64,";

} // namespace

Json shareFile(const Trial& trial, const TrialResults& results, const ShareNames& names, const std::map<std::string, std::string>& thumbnails) {
    const Json all = resultsToJson(results);
    Json out{{"caelumen_share", 1}, {"program", all["program"]}};
    if (!names.tester.empty()) out["tester"] = names.tester;
    Json site = Json::object(), rig = Json::object();
    if (trial.site.bortle) site["bortle"] = *trial.site.bortle;
    if (const auto mag = skyBrightness(trial.site)) site["sky_mag"] = *mag;
    // A place within a degree tells the sky, not the garden.
    if (trial.site.latitude_deg) site["latitude_deg"] = names.places ? *trial.site.latitude_deg : std::round(*trial.site.latitude_deg);
    if (trial.rig.focal_length_mm) rig["focal_length_mm"] = *trial.rig.focal_length_mm;
    if (trial.rig.aperture_mm) rig["aperture_mm"] = *trial.rig.aperture_mm;
    if (trial.rig.pixel_um) rig["pixel_um"] = *trial.rig.pixel_um;
    if (names.places) {
        out["trial"] = trial.title;
        site["name"] = trial.site.name;
        if (trial.site.longitude_deg) site["longitude_deg"] = *trial.site.longitude_deg;
        rig["name"] = trial.rig.name;
    }
    out["target"] = trial.target.name;
    out["site"] = site, out["rig"] = rig;
    out["filters"] = Json::array();
    for (const Filter& f : trial.filters) out["filters"].push_back({{"id", f.id}, {"name", f.name}, {"kind", f.kind}});
    for (const char* part : {"baseline", "measurements", "absent", "ranking", "fairness"}) out[part] = all[part];
    for (Json& f : out["fairness"]) f.erase("note");
    out["conditions"] = Json::array();
    for (Json c : all["conditions"]) {
        c.erase("conflicts"); // they quote headers
        if (!names.places && c.contains("start")) c["start"] = c["start"].get<std::string>().substr(0, 10);
        if (c.contains("facts"))
            for (auto& [id, fact] : c["facts"].items()) fact.erase("from");
        out["conditions"].push_back(std::move(c));
    }
    out["thumbnails"] = Json::object();
    for (const auto& [run, png] : thumbnails) out["thumbnails"][run] = kPng + encoded(png);
    return out;
}

std::map<std::string, std::string> sharedThumbnails(const Json& file) {
    std::map<std::string, std::string> out;
    const auto all = file.find("thumbnails");
    if (all == file.end() || !all->is_object()) return out;
    for (const auto& [run, value] : all->items())
        if (value.is_string())
            if (const auto text = value.get<std::string>(); text.rfind(kPng, 0) == 0) out[run] = decoded(text.substr(std::string(kPng).size()));
    return out;
}

} // namespace caelumen
