#include "core/optics/camera_file.h"

#include "core/base/json.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

struct Bad {
    std::string message;
};

/// A number above zero (or from zero on), or nothing where the key is missing.
std::optional<double> number(const Json& json, const char* key, const std::string& where, bool zero = false) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return std::nullopt;
    if (!it->is_number() || !std::isfinite(it->get<double>()) || it->get<double>() < 0 || (!zero && it->get<double>() == 0)) throw Bad{fmt::format("{} has \"{}\" that must be a number above zero.", where, key)};
    return it->get<double>();
}

std::string text(const Json& json, const char* key, const std::string& where) {
    const auto it = json.find(key);
    if (it == json.end() || it->is_null()) return {};
    if (!it->is_string()) throw Bad{fmt::format("{} has \"{}\" that must be text.", where, key)};
    return it->get<std::string>();
}

CameraChannel channelFrom(const Json& json, const std::string& file) {
    if (!json.is_object()) throw Bad{fmt::format("{} has a channel that is no object in braces.", file)};
    CameraChannel c;
    c.name = text(json, "name", file + ", a channel,");
    if (c.name != "R" && c.name != "G" && c.name != "B" && c.name != "L") throw Bad{fmt::format("{} has a channel \"{}\"; channels are R, G, B or L.", file, c.name)};
    const auto points = json.find("points");
    auto curve = curveFromPoints(points == json.end() ? Json() : *points, fmt::format("{}, channel {},", file, c.name));
    if (!curve) throw Bad{curve.error().message};
    c.efficiency = std::move(*curve);
    return c;
}

} // namespace

Result<Camera> cameraFromText(const std::string& said, const std::string& name) {
    try {
        const Json json = Json::parse(said);
        if (!json.is_object() || !json.contains("caelumen_camera")) return Error{fmt::format("{} has no \"caelumen_camera\"; it is not a camera file.", name)};
        if (json["caelumen_camera"] != 1) return Error{fmt::format("{} is a camera of another format; this program reads format 1.", name)};
        Camera camera;
        camera.name = text(json, "name", name);
        if (camera.name.empty()) return Error{fmt::format("{} needs the camera's \"name\".", name)};
        camera.id = "own:" + camera.name;
        camera.window = text(json, "window", name);
        if (const auto it = json.find("passes_infrared"); it != json.end()) {
            if (!it->is_boolean()) return Error{fmt::format("{} has \"passes_infrared\" that must be true or false.", name)};
            camera.passesInfrared = it->get<bool>();
        }
        camera.pixel_um = number(json, "pixel_um", name);
        camera.full_well_e = number(json, "full_well_e", name);
        if (const auto it = json.find("gains"); it != json.end()) {
            if (!it->is_array() || it->size() > 10'000) return Error{fmt::format("{} has \"gains\" that must be a list in square brackets.", name)};
            for (const Json& g : *it) {
                const std::string where = name + ", a gain,";
                if (!g.is_object()) return Error{fmt::format("{} is no object in braces.", where)};
                const auto setting = number(g, "setting", where, true), gain = number(g, "e_per_adu", where), noise = number(g, "read_noise_e", where, true);
                if (!gain) return Error{fmt::format("{} needs \"e_per_adu\".", where)};
                camera.gains.push_back({setting.value_or(0), *gain, noise});
            }
        }
        const auto channels = json.find("channels");
        if (channels == json.end() || !channels->is_array() || channels->empty() || channels->size() > 4) return Error{fmt::format("{} needs \"channels\", one to four of them.", name)};
        std::set<std::string> seen;
        for (const Json& c : *channels) {
            camera.channels.push_back(channelFrom(c, name));
            if (!seen.insert(camera.channels.back().name).second) return Error{fmt::format("{} has channel {} twice.", name, camera.channels.back().name)};
        }
        return camera;
    } catch (const Bad& bad) {
        return Error{bad.message};
    } catch (const nlohmann::json::exception&) {
        return Error{fmt::format("{} is no JSON text.", name)};
    }
}

std::string cameraToText(const Camera& camera) {
    Json out{{"caelumen_camera", 1}, {"name", camera.name}};
    if (!camera.window.empty()) out["window"] = camera.window;
    out["passes_infrared"] = camera.passesInfrared;
    if (camera.pixel_um) out["pixel_um"] = *camera.pixel_um;
    if (camera.full_well_e) out["full_well_e"] = *camera.full_well_e;
    for (const GainStep& g : camera.gains) {
        Json o{{"setting", g.setting}, {"e_per_adu", g.e_per_adu}};
        if (g.read_noise_e) o["read_noise_e"] = *g.read_noise_e;
        out["gains"].push_back(o);
    }
    out["channels"] = Json::array();
    for (const CameraChannel& c : camera.channels) {
        out["channels"].push_back({{"name", c.name}, {"points", curveToPoints(c.efficiency)}});
    }
    return jsonText(out, 1) + "\n";
}

} // namespace caelumen
