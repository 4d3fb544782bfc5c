#include "core/optics/camera_file.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

CameraChannel channelFrom(const JsonFields& r) {
    CameraChannel c;
    c.name = r.text("name");
    if (c.name != "R" && c.name != "G" && c.name != "B" && c.name != "L") r.fail(phrase("has \"name\" = \"{}\"; channels are R, G, B or L", c.name));
    const Json* points = r.field("points");
    auto curve = curveFromPoints(points ? *points : Json(), fmt::format("{}, channel {},", r.file(), c.name));
    if (!curve) throw BadJson{curve.error().message};
    c.efficiency = std::move(*curve);
    return c;
}

} // namespace

Result<Camera> cameraFromText(const std::string& said, const std::string& name) {
    const auto json = parseJson(said, name);
    if (!json) return json.error();
    return understood<Camera>(name, [&]() -> Result<Camera> {
        const JsonFields r(*json, name, phrase("the camera"));
        r.needFormat("caelumen_camera", "a camera file");
        Camera camera;
        camera.name = r.needText("name");
        camera.id = "own:" + camera.name;
        camera.window = r.text("window");
        camera.passesInfrared = r.flag("passes_infrared", camera.passesInfrared);
        camera.pixel_um = r.positive("pixel_um");
        camera.full_well_e = r.positive("full_well_e");
        camera.width_px = r.wholeOr("width_px", 0, 0, 1'000'000);
        camera.height_px = r.wholeOr("height_px", 0, 0, 1'000'000);
        for (const JsonFields& g : r.objects("gains")) {
            const auto gain = g.positive("e_per_adu");
            if (!gain) g.fail(phrase("needs \"e_per_adu\""));
            camera.gains.push_back({g.numberOr("setting", 0, 0, 1e12), *gain, g.number("read_noise_e", 0, 1e12)});
        }
        const auto channels = r.objects("channels", 4);
        if (channels.empty()) r.fail(phrase("needs \"channels\", one to four of them"));
        std::set<std::string> seen;
        for (const JsonFields& c : channels) {
            camera.channels.push_back(channelFrom(c));
            if (!seen.insert(camera.channels.back().name).second) r.fail(phrase("has channel {} twice", camera.channels.back().name));
        }
        return camera;
    });
}

std::string cameraToText(const Camera& camera) {
    Json out{{"caelumen_camera", 1}, {"name", camera.name}};
    if (!camera.window.empty()) out["window"] = camera.window;
    out["passes_infrared"] = camera.passesInfrared;
    if (camera.pixel_um) out["pixel_um"] = *camera.pixel_um;
    if (camera.full_well_e) out["full_well_e"] = *camera.full_well_e;
    if (camera.width_px > 0 && camera.height_px > 0) out["width_px"] = camera.width_px, out["height_px"] = camera.height_px;
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
