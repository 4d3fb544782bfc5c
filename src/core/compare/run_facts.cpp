#include "core/compare/run_facts.h"

#include "core/base/phrase.h"
#include "core/base/pixel_scale.h"
#include "core/base/text.h"
#include "core/model/filter_kinds.h"
#include "core/model/flags.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Trial first, header second, of what is no part of a rig.
template<class T>
std::optional<T> resolve(const std::optional<T>& trial, const std::optional<T>& header, const char* what, RunConditions& c) {
    if (!trial) return header;
    if (header)
        if (auto conflict = conflictOf(wordOf(what), static_cast<double>(*header), static_cast<double>(*trial))) c.conflicts.push_back(*conflict);
    return trial;
}

} // namespace

Rescale OpenRun::toRate(bool scaled01) const {
    const double full = scaled01 ? fullScale : 1;
    return {static_cast<float>(pedestal / full), static_cast<float>(full * gain / seconds)};
}

Result<Plane> OpenRun::readRates(std::size_t channel, std::optional<bool>& scaled01, Plane spare, SeenOnTheWay* seen) const {
    if (scaled01 || file.info().integer) {
        scaled01 = scaled01.value_or(false);
        return file.readChannel(channel, std::move(spare), toRate(*scaled01), seen);
    }
    SeenOnTheWay own;
    if (!seen) seen = &own;
    auto plane = file.readChannel(channel, std::move(spare), toRate(false), seen);
    if (!plane) return plane;
    scaled01 = seen->top > 0 && seen->top <= 1.0F; // parts of the full scale, which few programs write
    return *scaled01 ? file.readChannel(channel, std::move(*plane), toRate(true), seen) : std::move(plane);
}

Result<OpenRun> openRun(const Trial& trial, const Run& run, const std::filesystem::path& folder) {
    auto file = FrameFile::open(folder / pathOf(run.stack), run.bayer);
    if (!file) return file.error();
    OpenRun out;
    out.run = &run;
    out.file = std::move(*file);
    out.halves = halvesOf(run, folder);
    const FrameFacts& h = out.file.info().facts;
    Facts known = resolveFacts(trial.rig, run.rig, &h);
    out.rig = known.rig;
    RunConditions& c = out.conditions;
    c.run = run.id;
    c.combine = run.combine;
    c.width = out.file.info().width;
    c.height = out.file.info().height;
    c.camera = !run.rig.name.empty() ? run.rig.name : h.camera.value_or("");
    c.start = !run.start.empty() ? run.start : h.start.value_or("");
    c.sensor_temperature_c = run.sensor_temperature_c ? run.sensor_temperature_c : h.sensor_temperature_c;
    c.gain_setting = h.gain_setting;
    c.offset_setting = h.offset_setting;
    c.moon_response = h.moon_response;
    c.night_transparency = h.night_transparency, c.night_transparency_sigma = h.night_transparency_sigma;
    c.sub_exposure_s = resolve(run.sub_exposure_s, h.sub_exposure_s, "sub exposure (s)", c);
    c.sub_count = resolve(run.sub_count, h.sub_count, "number of subs", c);
    c.conflicts.insert(c.conflicts.end(), known.conflicts.begin(), known.conflicts.end());
    const auto &gain = out.rig.gain_e_per_adu, &pedestal = out.rig.pedestal_adu;
    if (out.rig.pixel_um && out.rig.focal_length_mm) c.scale_arcsec = arcsecPerPixel(*out.rig.pixel_um, *out.rig.focal_length_mm);
    if (out.rig.focal_length_mm && out.rig.aperture_mm) c.focal_ratio = *out.rig.focal_length_mm / *out.rig.aperture_mm;
    if (c.sub_exposure_s) c.total_s = *c.sub_exposure_s * c.sub_count.value_or(1);
    c.gainAssumed = !gain;
    out.gain = c.gain_e_per_adu = gain.value_or(1.0);
    out.pedestalUnknown = !pedestal;
    out.pedestal = pedestal.value_or(0);
    const FrameInfo& info = out.file.info();
    out.fullScale = out.rig.full_scale_adu.value_or(info.integer && info.bits == 8 ? 255.0 : 65535.0);
    c.facts = std::move(known.list);
    if (!gain) c.facts.push_back({"gain_e_per_adu", 1, FactSource::Assumed, {}});
    if (!out.rig.full_scale_adu) c.facts.push_back({"full_scale_adu", out.fullScale, FactSource::Assumed, {}});
    const double subs = run.combine == combined_by::sum ? c.sub_count.value_or(1) : 1;
    out.knownSaturation = out.fullScale * subs;
    if (out.rig.full_well_e) out.knownSaturation = std::min(out.knownSaturation, (*out.rig.full_well_e / out.gain) * subs + out.pedestal);

    if (!c.sub_exposure_s)
        out.problem = phrase("the sub exposure is unknown: neither the trial nor the header gives it");
    else if (run.combine == combined_by::sum && !c.sub_count)
        out.problem = phrase("the number of subs in the sum is unknown: neither the trial nor the header gives it");
    else
        out.seconds = run.combine == combined_by::sum ? *c.total_s : *c.sub_exposure_s;
    if (out.pedestalUnknown) c.flags.push_back(flag::pedestalUnknown);
    if (c.gainAssumed || !c.scale_arcsec) c.flags.push_back(flag::assumedScale); // without a pixel scale the boxes are 5 pixels wide
    c.wcs = h.wcs;
    c.bits = info.integer ? info.bits : 0;
    if (out.file.info().facts.sources.count("interpolated")) c.flags.push_back(flag::interpolated);
    if (c.bits == 8) c.flags.push_back(flag::eightBit);
    if (!c.conflicts.empty()) c.flags.push_back(flag::headerConflict);

    if (!c.start.empty() && trial.site.latitude_deg && trial.site.longitude_deg) {
        if (const auto time = parseTime(c.start))
            c.sky = skyAt({*trial.site.latitude_deg, *trial.site.longitude_deg, trial.site.elevation_m}, time->plusSeconds(c.total_s.value_or(0) / 2),
                          trial.target.ra_deg, trial.target.dec_deg);
    }
    return out;
}

} // namespace caelumen
