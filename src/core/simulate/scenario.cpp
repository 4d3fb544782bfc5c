#include "core/simulate/scenario.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/mosaic.h"
#include "core/model/trial_json.h"
#include "core/simulate/demo.h"
#include "core/sky/night_track.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

std::string folderOf(const VirtualRun& run) {
    return fmt::format("{}-{}", run.scene.id, run.scene.filter.id);
}

SceneFilter filterOf(const JsonFields& f, const fs::path& folder) {
    const std::string id = f.text("id");
    if (id.empty()) f.fail(phrase("needs \"id\""));
    if (!isPlainName(id)) f.fail(phrase("has \"id\" = \"{}\", which names a folder: use letters and digits, no slash and no leading dot", oneLine(id)));
    for (SceneFilter& known : demoFilters()) {
        if (known.id != id) continue;
        known.name = f.text("name", known.name);
        return known;
    }
    SceneFilter out;
    out.id = id;
    out.name = f.text("name", id);
    out.kind = f.text("kind", "other");
    const std::string curve = f.text("curve");
    if (curve.empty()) {
        out.curve.wavelength_nm = {300, 1100};
        out.curve.transmission = {1, 1};
    } else {
        auto read = readCurve(folder / pathOf(curve));
        if (!read) throw BadJson{read.error().message};
        out.curve = std::move(*read);
    }
    for (const JsonFields& g : f.objects("ghosts"))
        out.ghosts.push_back(
            {g.numberOr("gap_mm", 2, 0.01, 100), g.numberOr("fraction", 0.003, 0, 0.5), {g.numberOr("dx", 0, -1000, 1000), g.numberOr("dy", 0, -1000, 1000)}});
    return out;
}

/// Subs that an entry means: one number, or "from" and "to"; counted from 1.
std::pair<std::size_t, std::size_t> subsOf(const JsonFields& f, std::size_t count) {
    const int most = static_cast<int>(count), one = f.wholeOr("sub", 0, 0, most);
    const int from = one > 0 ? one : f.wholeOr("from", 1, 1, most), to = one > 0 ? one : f.wholeOr("to", most, 1, most);
    if (from > to) f.fail(phrase("has \"from\" after \"to\""));
    return {static_cast<std::size_t>(from - 1), static_cast<std::size_t>(to)};
}

/// A rig with what is told of it.
SceneRig withFacts(SceneRig to, const Rig& told) {
    const auto take = [](double& value, std::optional<double> given) { value = given.value_or(value); };
    take(to.focal_mm, told.focal_length_mm), take(to.aperture_mm, told.aperture_mm), take(to.obstruction, told.obstruction), take(to.pixel_um, told.pixel_um),
        take(to.gain_e_per_adu, told.gain_e_per_adu);
    take(to.readNoise_e, told.read_noise_e), take(to.fullWell_e, told.full_well_e), take(to.pedestal_adu, told.pedestal_adu),
        take(to.fullScale_adu, told.full_scale_adu);
    return to;
}

constexpr double kMostStars = 3e6, kBetween_s = 6; ///< seconds between two subs

double starsOnFrame(double perSquareDegree, int width, int height, const SceneRig& rig) {
    return perSquareDegree * width * height * std::pow(rig.scale_arcsec() / 3600, 2);
}

/// What of a scenario holds for all its runs.
struct Frame {
    unsigned long long seed = 1;
    int width = 0, height = 0, count = 0;
    bool mosaic = true;
    std::string start;
    double exposure_s = 0, nebula_rayleigh = 0, stars = 0; ///< per square degree
    Trial facts;                                           ///< place, target and rig, read as those of a trial
};

Result<Frame> frameOf(const JsonFields& root, const Json& json, const std::string& name) {
    Json trial = {{"caelumen_trial", 1}, {"filters", Json::array()}, {"runs", Json::array()}, {"regions", Json::array()}};
    for (const char* key : {"site", "target", "rig"})
        if (json.contains(key)) trial[key] = json[key];
    auto facts = trialFromJson(trial, name);
    if (!facts) return facts.error();
    Frame out;
    out.facts = std::move(*facts);
    out.seed = static_cast<unsigned long long>(root.wholeOr("seed", 1, 0, 1'000'000'000));
    out.width = root.wholeOr("width", 1600, 200, 20'000), out.height = root.wholeOr("height", 1066, 200, 20'000);
    const std::string camera = root.text("camera", "mosaic");
    if (camera != "mosaic" && camera != "mono") root.fail(phrase("has \"camera\" that must be mosaic or mono"));
    out.mosaic = camera == "mosaic";
    out.start = root.text("start", "2026-06-15T19:00:00Z");
    if (!parseTime(out.start)) root.fail(phrase("has \"start\" = \"{}\"; give UTC as 2026-06-20T18:05:00Z", out.start));
    out.exposure_s = root.numberOr("sub_exposure_s", 120, 0.001, 100'000), out.nebula_rayleigh = root.numberOr("nebula_rayleigh", 250, 0, 1e6),
    out.stars = root.numberOr("stars_per_square_degree", 5500, 0, 1e6);
    out.count = root.wholeOr("sub_count", 12, 1, 100'000);
    if (starsOnFrame(out.stars, out.width, out.height, withFacts({}, out.facts.rig)) > kMostStars)
        root.fail(phrase("asks for more than three million stars on the frame; lower \"stars_per_square_degree\" or the field"));
    return out;
}

void addSky(const JsonFields& root, const Frame& frame, VirtualRun& run) {
    const SceneRig& rig = run.scene.rig;
    run.nebula = makeNebula(frame.width, frame.height, 64, frame.seed, frame.nebula_rayleigh);
    const double turn = root.numberOr("faintest_star", 16, 0, 25), deepest = root.numberOr("deepest_star", kDeepestStar, 0, 25);
    run.stars = makeStars(frame.width, frame.height, 64, frame.seed, frame.stars, rig.scale_arcsec(), root.numberOr("brightest_star", 8.2, -2, 20), turn);
    const double bright = std::max(1.0, starsOnFrame(frame.stars, frame.width, frame.height, rig)),
                 most = turn + std::log10(kMostStars / bright) / 0.24; // no more than can be drawn
    const std::vector<SceneStar> faint =
        makeFaintStars(frame.width, frame.height, 64, frame.seed, frame.stars, rig.scale_arcsec(), turn, std::min(deepest, most));
    run.stars.insert(run.stars.end(), faint.begin(), faint.end());
}

void setSensor(const JsonFields& sensor, unsigned long long seed, VirtualSensor& v) {
    v.seed = seed + 6;
    v.vignette = sensor.numberOr("vignette", v.vignette, 0, 0.9), v.roughness = sensor.numberOr("roughness", v.roughness, 0, 0.5),
    v.dust = sensor.wholeOr("dust", v.dust, 0, 1000);
    v.dark_e_per_s = sensor.numberOr("dark_e_per_s", v.dark_e_per_s, 0, 1000), v.glow_e_per_s = sensor.numberOr("glow_e_per_s", v.glow_e_per_s, 0, 10'000);
    v.hotPart = sensor.numberOr("hot_part", v.hotPart, 0, 0.2), v.hot_e_per_s = sensor.numberOr("hot_e_per_s", v.hot_e_per_s, 0, 1e5),
    v.temperature_c = sensor.numberOr("temperature_c", v.temperature_c, -60, 60);
}

/// Dither, field rotation and focus drift; `before`: runs that were made before this one.
void moveSubs(const JsonFields& root, const Frame& frame, std::size_t before, VirtualRun& run) {
    const double dither = root.numberOr("dither_px", 9, 0, 1000), turning = root.numberOr("field_rotation_deg_per_hour", 0, -1000, 1000),
                 drift = root.numberOr("focus_drift_per_hour", 0, -1, 10);
    for (std::size_t i = 0; i < run.subs.size(); ++i) {
        VirtualSub& sub = run.subs[i];
        sub.seed += before * 1'000'000;
        sub.alignment.dx *= dither / 9, sub.alignment.dy *= dither / 9;
        sub.alignment.rotation_deg += turning * static_cast<double>(i) * (frame.exposure_s + kBetween_s) / 3600;
        sub.fwhm_px *= run.scene.fwhm_px / 3 * (1 + drift * static_cast<double>(i) * (frame.exposure_s + kBetween_s) / 3600);
    }
}

/// Half a turn about the middle of the frame, as after a meridian flip.
Alignment flipped(Alignment a, int width, int height) {
    const Point middle{(width - 1) / 2.0, (height - 1) / 2.0}, centre = a.map(middle);
    a.rotation_deg += 180;
    a.dx = a.dy = 0;
    const Point turned = a.map(middle);
    a.dx = centre.x - turned.x, a.dy = centre.y - turned.y;
    return a;
}

void happen(const JsonFields& e, const Frame& frame, VirtualSub& sub) {
    const std::string kind = e.text("kind");
    if (kind == "cloud") {
        sub.transparency *= e.numberOr("transparency", 0.4, 0, 1), sub.sky *= e.numberOr("sky", 1, 0, 1000);
    } else if (kind == "light") {
        sub.sky *= e.numberOr("sky", 2, 0, 1000);
    } else if (kind == "soft") {
        sub.fwhm_px *= e.numberOr("factor", 1.8, 0.1, 20);
    } else if (kind == "drift") {
        sub.drift_px = e.numberOr("px", 8, 0, 1000), sub.drift_deg = e.numberOr("deg", 30, -360, 360);
    } else if (kind == "trail") {
        Random random(sub.seed + 99);
        const double y0 = random.uniform() * frame.height, y1 = random.uniform() * frame.height;
        sub.trails.push_back({e.numberOr("x0", -10, -1e5, 1e5), e.numberOr("y0", y0, -1e5, 1e5), e.numberOr("x1", frame.width + 10.0, -1e5, 1e5),
                              e.numberOr("y1", y1, -1e5, 1e5)});
        sub.trail_e = e.numberOr("electrons", 300, 0, 1e7);
    } else if (kind == "flip") {
        sub.alignment = flipped(sub.alignment, frame.width, frame.height);
    } else {
        e.fail(phrase("is of kind \"{}\"; it must be cloud, light, soft, drift, trail or flip", kind));
    }
}

void addEvents(const JsonFields& root, const Frame& frame, VirtualRun& run) {
    for (const JsonFields& e : root.objects("events")) {
        if (const std::string only = e.text("filter"); !only.empty() && only != run.scene.filter.id) continue;
        const auto [from, last] = subsOf(e, run.subs.size());
        for (std::size_t i = from; i < last; ++i) happen(e, frame, run.subs[i]);
    }
}

} // namespace

Result<Scenario> scenarioFromJson(const Json& json, const std::string& name, const fs::path& folder) {
    return understood<Scenario>(name, [&]() -> Result<Scenario> {
        const JsonFields root{json, name, phrase("the scenario")};
        root.needFormat("caelumen_scenario", "a scenario");
        const auto frame = frameOf(root, json, name);
        if (!frame) return frame.error();
        const auto filters = root.objects("filters");
        if (filters.empty()) root.fail(phrase("needs \"filters\": a list with at least one"));
        const std::string mosaic = root.text("mosaic", "RGGB");
        if (frame->mosaic && !mosaicPattern(mosaic, 0, 0, false, frame->height)) root.fail(phrase("has \"mosaic\" that is no pattern like RGGB"));

        Scenario out;
        const JsonFields c = root.object("calibration");
        out.frames = {c.wholeOr("darks", 6, 0, 1000), c.wholeOr("flats", 6, 0, 1000), c.wholeOr("biases", 6, 0, 1000), c.numberOr("flat_e", 22'000, 1, 1e6)};
        double later = 0;
        for (const JsonFields& f : filters) {
            VirtualRun run =
                virtualRun(filterOf(f, folder), frame->mosaic ? SceneCamera::Mosaic : SceneCamera::Mono, frame->width, frame->height, frame->count, frame->seed,
                           isoTime(parseTime(frame->start)->plusSeconds(later)), frame->facts.site, frame->facts.target, frame->exposure_s);
            SceneRun& s = run.scene;
            s.id = fmt::format("{}", static_cast<char>('A' + static_cast<char>(out.runs.size() % 26)));
            s.rig = withFacts(s.rig, frame->facts.rig);
            s.mosaic = mosaic;
            s.fwhm_px = root.numberOr("fwhm_px", 3, 0.8, 50);
            addSky(root, *frame, run);
            setSensor(root.object("sensor"), frame->seed, run.sensor);
            moveSubs(root, *frame, out.runs.size(), run);
            addEvents(root, *frame, run);
            later += frame->count * (frame->exposure_s + kBetween_s) + root.numberOr("swap_s", 300, 0, 100'000);
            out.runs.push_back(std::move(run));
        }
        return out;
    });
}

Result<Scenario> readScenario(const fs::path& path) {
    const auto json = readJson(path);
    if (!json) return json.error();
    return scenarioFromJson(*json, shown(path), path.parent_path());
}

std::vector<fs::path> scenarioOutputs(const Scenario& scenario, const fs::path& out) {
    std::vector<fs::path> all{out / "truth.json"};
    for (const VirtualRun& run : scenario.runs) all.push_back(out / folderOf(run) / "subs.json");
    return all;
}

Status writeScenario(const Scenario& scenario, const fs::path& out, const Job& job) {
    Json truth = {{"caelumen_truth", 1}, {"runs", Json::array()}};
    for (std::size_t r = 0; r < scenario.runs.size(); ++r) {
        const VirtualRun& run = scenario.runs[r];
        const std::string folder = folderOf(run);
        const auto n = static_cast<double>(scenario.runs.size());
        job.report(static_cast<double>(r) / n, "Photographing " + folder);
        if (job.cancelled()) return Error{kCancelled};
        if (Status done = writeVirtualRun(run, out / folder, scenario.frames); !done) return done;
        const bool mono = run.scene.camera == SceneCamera::Mono;
        Json subs = Json::array();
        for (std::size_t i = 0; i < run.subs.size(); ++i) {
            const VirtualSub& s = run.subs[i];
            Json j = {{"file", fmt::format("{}/light-{:03}.fits", folder, i + 1)},
                      {"start", s.start},
                      {"transparency", s.transparency},
                      {"sky_factor", s.sky},
                      {"fwhm_px", s.fwhm_px},
                      {"drift_px", s.drift_px},
                      {"trails", s.trails.size()},
                      {"transform",
                       {{"dx", s.alignment.dx},
                        {"dy", s.alignment.dy},
                        {"rotation_deg", s.alignment.rotation_deg},
                        {"scale", s.alignment.scale},
                        {"mirrored", s.alignment.mirrored}}}};
            SceneRun scene = run.scene;
            scene.sky.moon_nl = s.moon_nl.value_or(scene.sky.moon_nl);
            for (int c = 0; c < (mono ? 1 : 3); ++c) j["background"][mono ? "L" : std::string(1, "RGB"[c])] = channelRates(scene, mono ? 3 : c).sky() * s.sky;
            subs.push_back(std::move(j));
        }
        truth["runs"].push_back({{"folder", folder},
                                 {"filter", run.scene.filter.id},
                                 {"sub_exposure_s", run.scene.sub_exposure_s},
                                 {"background_unit", "e-/s/px"},
                                 {"subs", subs}});
    }
    job.report(1, "Photographed");
    return writeFile(out / "truth.json", jsonText(truth, 1) + "\n");
}

} // namespace caelumen
