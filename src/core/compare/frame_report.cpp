#include "core/compare/frame_report.h"

#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/measure/harvest.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

namespace caelumen {

Result<FrameReport> reportFrame(const std::filesystem::path& path) {
    try {
        auto file = FrameFile::open(path);
        if (!file) return file.error();
        FrameReport out;
        out.info = file->info();
        for (std::size_t c = 0; c < out.info.channels.size(); ++c) {
            auto plane = file->readChannel(c);
            if (!plane) return plane.error();
            const PlaneView view{out.info.geometry(c), {}, plane->width(), plane->height()};
            const double full = out.info.integer && out.info.bits <= 16 ? std::pow(2.0, out.info.bits) - 1 : std::numeric_limits<double>::infinity();
            const SmoothSky sky = findingSky(*plane);
            const FirstLook look = lookForStars(*plane, sky);
            const PlaneStars found = findStars(*plane, sky, look, full, view.geometry.split);
            const Mask mask = starMask(commonDiscs({{&found.stars, &found.psf, found.typicalNoise, view}}), view);
            std::vector<float> values;
            const std::size_t step = std::max<std::size_t>(1, plane->size() / 4'000'000);
            const auto width = static_cast<std::size_t>(plane->width());
            for (std::size_t i = 0; i < plane->size(); i += step)
                if (!mask.hidden(static_cast<int>(i % width), static_cast<int>(i / width)) && std::isfinite(plane->data()[i]))
                    values.push_back(plane->data()[i]);
            const ClippedStats level = clippedStats(std::span<float>(values));
            if (level.count == 0) continue;
            const std::string& name = out.info.channels[c];
            out.level[name] = level.mean;
            if (const PixelNoise noise = pixelNoise(*plane, mask, view, {}, &sky); noise.samples > 0) out.noise[name] = noise.value;
            const int count = found.counted();
            if (count < out.stars || (count == out.stars && out.fwhm_px)) continue;
            out.stars = count;
            out.fwhm_px.reset();
            out.eccentricity.reset();
            if (!found.psf) continue;
            out.fwhm_px = found.psf->fwhm * view.geometry.pitch;
            out.eccentricity = found.psf->eccentricity;
        }
        if (out.level.empty()) return Error{phrase("{} has no pixel with a value: all are NaN, infinite or zero; give another frame.", shown(path))};
        return out;
    } catch (const std::bad_alloc&) {
        return Error{shown(path) + phrase(" needs more memory than there is; close other programs.")};
    }
}

Json factsToJson(const FrameFacts& f) {
    Json j = Json::object();
    const auto put = [&](const char* key, const auto& value) {
        if (value) j[key] = *value;
    };
    put("sub_exposure_s", f.sub_exposure_s);
    put("sub_count", f.sub_count);
    put("gain_e_per_adu", f.gain_e_per_adu);
    put("gain_setting", f.gain_setting);
    put("offset_setting", f.offset_setting);
    put("pedestal_adu", f.pedestal_adu);
    put("pixel_um", f.pixel_um);
    put("focal_length_mm", f.focal_length_mm);
    put("aperture_mm", f.aperture_mm);
    put("sensor_temperature_c", f.sensor_temperature_c);
    put("ra_deg", f.ra_deg);
    put("dec_deg", f.dec_deg);
    put("site_latitude_deg", f.site_latitude_deg);
    put("site_longitude_deg", f.site_longitude_deg);
    put("start", f.start);
    put("frame_kind", f.frame_kind);
    put("filter", f.filter);
    put("target", f.target);
    put("camera", f.camera);
    put("telescope", f.telescope);
    j["sources"] = f.sources;
    j["notes"] = f.notes;
    return j;
}

Json frameReportToJson(const FrameReport& r) {
    Json j;
    j["file"] = nameText(r.info.path);
    j["width"] = r.info.width;
    j["height"] = r.info.height;
    j["channels"] = r.info.channels;
    j["bayer"] = r.info.mosaic ? Json(r.info.mosaic->name) : Json(nullptr);
    j["bits"] = r.info.bits;
    j["level"] = r.level;
    j["noise"] = r.noise;
    j["stars"] = r.stars;
    j["fwhm_px"] = r.fwhm_px ? Json(*r.fwhm_px) : Json(nullptr);
    j["eccentricity"] = r.eccentricity ? Json(*r.eccentricity) : Json(nullptr);
    j["facts"] = factsToJson(r.info.facts);
    return j;
}

} // namespace caelumen
