#include "core/simulate/virtual_subs.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/mosaic.h"
#include "core/sky/ephemeris.h"
#include "core/sky/moonlight.h"
#include "core/sky/night_track.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

struct Dust {
    double x, y, radius, depth;
};

std::vector<Dust> dustOf(const VirtualRun& run) {
    Random random(run.sensor.seed * 31);
    std::vector<Dust> out;
    for (int i = 0; i < run.sensor.dust; ++i)
        out.push_back({random.uniform() * run.scene.width, random.uniform() * run.scene.height, (0.01 + 0.02 * random.uniform()) * run.scene.width,
                       0.03 + 0.06 * random.uniform()});
    return out;
}

/// Sensitivity of a row of pixels: vignetting, dust, roughness.
void flatRow(const VirtualRun& run, const std::vector<Dust>& dust, int y, float* out) {
    const double w = run.scene.width, h = run.scene.height, half = 0.5 * std::hypot(w, h);
    Random random(run.sensor.seed * 1'000'003ULL + static_cast<unsigned long long>(y));
    for (int x = 0; x < run.scene.width; ++x) {
        const double u = (x - 0.48 * w) / half, v = (y - 0.52 * h) / half, rr = u * u + v * v;
        double f = 1 - run.sensor.vignette * rr * (0.6 + 0.4 * rr);
        for (const Dust& d : dust) {
            const double dx = x - d.x, dy = y - d.y;
            if (dx * dx + dy * dy > 6.25 * d.radius * d.radius) continue; // less than any digit
            const double r = std::hypot(dx, dy) / d.radius;
            f *= 1 - d.depth * std::exp(-std::pow((r - 0.8) / 0.25, 2));
        }
        out[x] = static_cast<float>(f * (1 + run.sensor.roughness * random.normal()));
    }
}

/// Electrons per second without light: dark current, glow of the amplifier's corner, hot pixels.
void darkRow(const VirtualRun& run, int y, float* out) {
    const VirtualSensor& s = run.sensor;
    const double warm = std::exp2((s.temperature_c + 10) / 6), w = run.scene.width, h = run.scene.height;
    Random random(s.seed * 7'000'003ULL + static_cast<unsigned long long>(y));
    for (int x = 0; x < run.scene.width; ++x) {
        const double away = std::hypot((w - 1 - x) / w, (h - 1 - y) / h);
        double rate = s.dark_e_per_s + s.glow_e_per_s * std::exp(-away / 0.09);
        if (random.uniform() < s.hotPart) rate += s.hot_e_per_s * -std::log(1 - random.uniform());
        out[x] = static_cast<float>(rate * warm);
    }
}

float developed(const SceneRig& rig, double electrons, Random& random) {
    double e = electrons > 60 ? electrons + std::sqrt(electrons) * random.normal() : random.poisson(std::max(0.0, electrons));
    e = std::min(e, rig.fullWell_e) + rig.readNoise_e * random.normal();
    return static_cast<float>(std::clamp(std::round(e / rig.gain_e_per_adu + rig.pedestal_adu), 0.0, rig.fullScale_adu));
}

template<class Light>
Plane exposed(const VirtualRun& run, double exposure_s, unsigned long long seed, Light light) {
    Plane out(run.scene.width, run.scene.height);
    const auto dust = dustOf(run);
    tbb::parallel_for(0, run.scene.height, [&](int y) {
        std::vector<float> flat(static_cast<std::size_t>(run.scene.width)), dark = flat;
        flatRow(run, dust, y, flat.data());
        darkRow(run, y, dark.data());
        Random random(seed * 9'000'011ULL + static_cast<unsigned long long>(y) * 104'729ULL + 5);
        for (int x = 0; x < run.scene.width; ++x) {
            const auto i = static_cast<std::size_t>(x);
            out.at(x, y) = developed(run.scene.rig, light(x, y) * static_cast<double>(flat[i]) + static_cast<double>(dark[i]) * exposure_s, random);
        }
    });
    return out;
}

int colourAt(const VirtualRun& run, const std::optional<MosaicPattern>& pattern, int x, int y) {
    return run.scene.camera == SceneCamera::Mosaic ? pattern->cell[static_cast<unsigned>(y) & 1][static_cast<unsigned>(x) & 1] : 0;
}

} // namespace

std::vector<CleanPlane> cleanPlanes(const VirtualRun& run, const VirtualSub& sub) {
    SceneRun scene = run.scene;
    scene.alignment = sub.alignment;
    scene.vignette = 0;
    if (sub.fwhm_px > 0) scene.fwhm_px = sub.fwhm_px;
    scene.sky.moon_nl = sub.moon_nl.value_or(scene.sky.moon_nl);
    std::vector<SceneStar> stars = run.stars;
    if (sub.drift_px > 0) { // a star drawn out is many faint ones in a row
        const int steps = std::max(3, static_cast<int>(std::ceil(sub.drift_px / (0.4 * scene.fwhm_px))));
        stars.clear();
        const double angle = sub.drift_deg * M_PI / 180;
        for (const SceneStar& s : run.stars)
            for (int k = 0; k < steps; ++k) {
                const double along = sub.drift_px * ((k + 0.5) / steps - 0.5);
                SceneStar part = s;
                part.at = {s.at.x + along * std::cos(angle), s.at.y + along * std::sin(angle)};
                part.v += 2.5 * std::log10(static_cast<double>(steps));
                stars.push_back(part);
            }
    }
    std::vector<CleanPlane> out;
    const bool mono = scene.camera == SceneCamera::Mono;
    for (int c = 0; c < (mono ? 1 : 3); ++c) {
        out.push_back(renderClean(scene, mono ? 3 : c, run.nebula, stars));
        CleanPlane& p = out.back();
        for (std::size_t i = 0; i < p.sky.size(); ++i) {
            p.sky.data()[i] *= static_cast<float>(sub.sky);
            p.nebula.data()[i] *= static_cast<float>(sub.transparency);
            p.stars.data()[i] *= static_cast<float>(sub.transparency);
        }
    }
    return out;
}

Plane photographSub(const VirtualRun& run, const VirtualSub& sub) {
    const auto clean = cleanPlanes(run, sub);
    Plane trails(run.scene.width, run.scene.height);
    for (const auto& trail : sub.trails) {
        const double x0 = trail[0], y0 = trail[1], x1 = trail[2], y1 = trail[3];
        const double length = std::hypot(x1 - x0, y1 - y0), width = 0.45 * run.scene.fwhm_px;
        if (!(length > 0)) continue;
        const int reach = static_cast<int>(std::ceil(4 * width));
        const double nx = -(y1 - y0) / length, ny = (x1 - x0) / length;
        tbb::parallel_for(0, run.scene.height, [&](int y) {
            for (int x = 0; x < run.scene.width; ++x) {
                const double off = (x - x0) * nx + (y - y0) * ny, along = (x - x0) * ny - (y - y0) * nx;
                if (std::abs(off) > reach || along < 0 || along > length) continue;
                trails.at(x, y) += static_cast<float>(sub.trail_e / (width * std::sqrt(2 * M_PI)) * std::exp(-0.5 * off * off / (width * width)));
            }
        });
    }
    const auto pattern = mosaicPattern(run.scene.mosaic, 0, 0, false, run.scene.height);
    const double t = run.scene.sub_exposure_s;
    return exposed(run, t, sub.seed, [&](int x, int y) {
        const CleanPlane& c = clean[static_cast<std::size_t>(colourAt(run, pattern, x, y))];
        return static_cast<double>(c.sky.at(x, y) + c.nebula.at(x, y) + c.stars.at(x, y)) * t + static_cast<double>(trails.at(x, y));
    });
}

Plane photographDark(const VirtualRun& run, double exposure_s, unsigned long long seed) {
    return exposed(run, exposure_s, seed, [](int, int) { return 0.0; });
}

Plane photographFlat(const VirtualRun& run, double level_e, unsigned long long seed) {
    const auto pattern = mosaicPattern(run.scene.mosaic, 0, 0, false, run.scene.height);
    static constexpr double kLamp[] = {0.7, 1.0, 0.6}; // a lamp is not white
    return exposed(run, 1, seed, [&](int x, int y) { return level_e * (run.scene.camera == SceneCamera::Mosaic ? kLamp[colourAt(run, pattern, x, y)] : 1.0); });
}

Plane sensitivityOf(const VirtualRun& run) {
    Plane out(run.scene.width, run.scene.height);
    const auto dust = dustOf(run);
    tbb::parallel_for(0, run.scene.height, [&](int y) { flatRow(run, dust, y, out.row(y)); });
    return out;
}

std::vector<HeaderCard> subCards(const VirtualRun& run, const std::string& kind, double exposure_s, const std::string& start) {
    const SceneRig& rig = run.scene.rig;
    std::vector<HeaderCard> cards{{"IMAGETYP", kind, ""},
                                  {"EXPTIME", exposure_s, "s"},
                                  {"EGAIN", rig.gain_e_per_adu, "e-/ADU"},
                                  {"GAIN", run.sensor.gainSetting, "camera setting"},
                                  {"OFFSET", run.sensor.offsetSetting, "camera setting"},
                                  {"CCD-TEMP", run.sensor.temperature_c, "C"},
                                  {"XPIXSZ", rig.pixel_um, "um"},
                                  {"INSTRUME", std::string("Virtual camera"), ""}};
    if (run.scene.camera == SceneCamera::Mosaic) cards.push_back({"BAYERPAT", run.scene.mosaic, "top row first"});
    if (!start.empty()) cards.push_back({"DATE-OBS", start.back() == 'Z' ? start.substr(0, start.size() - 1) : start, "UTC"});
    if (kind == "Light" || kind == "Flat") cards.push_back({"FILTER", run.scene.filter.name, ""});
    if (kind != "Light") return cards;
    cards.push_back({"FOCALLEN", rig.focal_mm, "mm"});
    cards.push_back({"APTDIA", rig.aperture_mm, "mm"});
    cards.push_back({"OBJECT", run.target.name, ""});
    if (run.target.ra_deg) cards.push_back({"RA", *run.target.ra_deg, "deg, ICRS"});
    if (run.target.dec_deg) cards.push_back({"DEC", *run.target.dec_deg, "deg, ICRS"});
    if (run.site.latitude_deg) cards.push_back({"SITELAT", *run.site.latitude_deg, "deg"});
    if (run.site.longitude_deg) cards.push_back({"SITELONG", *run.site.longitude_deg, "deg, east positive"});
    return cards;
}

void takeAt(const VirtualRun& run, VirtualSub& sub, const std::string& start) {
    const auto at = parseTime(start);
    sub.start = start;
    if (!at || !run.site.latitude_deg || !run.site.longitude_deg) return;
    const SkyMoment m = skyAt({*run.site.latitude_deg, *run.site.longitude_deg, run.site.elevation_m}, at->plusSeconds(run.scene.sub_exposure_s / 2),
                              run.target.ra_deg, run.target.dec_deg);
    if (!m.target || m.target->alt_deg <= 0) return;
    sub.moon_nl = moonlightNanoLamberts(m.moonPhaseAngle_deg, m.moon.alt_deg, m.target->alt_deg, m.moonSeparation_deg.value_or(90));
    sub.transparency = std::pow(10, -0.4 * 0.17 * (m.airmass.value_or(1) - 1));
}

VirtualRun virtualRun(const SceneFilter& filter, SceneCamera camera, int width, int height, int count, unsigned long long seed, const std::string& start,
                      const Site& site, const Target& target, double exposure_s) {
    VirtualRun run;
    run.site = site;
    run.target = target;
    SceneRun& s = run.scene;
    s.id = filter.id;
    s.filter = filter;
    s.camera = camera;
    s.width = width, s.height = height;
    s.sub_exposure_s = exposure_s;
    s.sub_count = 1;
    s.vignette = 0;
    s.fwhm_px = 3;
    s.sky.zenith_mag = skyBrightness(site).value_or(20);
    if (site.lamps) s.sky.lamps = *site.lamps;
    s.sky.gradient_u = 0.06, s.sky.gradient_v = -0.04;
    constexpr int margin = 64;
    run.nebula = makeNebula(width, height, margin, seed, 250);
    run.stars = makeStars(width, height, margin, seed, 5500, s.rig.scale_arcsec(), 8.2, 16);
    const std::vector<SceneStar> faint = makeFaintStars(width, height, margin, seed, 5500, s.rig.scale_arcsec(), 16, kDeepestStar);
    run.stars.insert(run.stars.end(), faint.begin(), faint.end());
    Random random(seed * 77);
    const auto begin = parseTime(start);
    for (int i = 0; i < count; ++i) {
        VirtualSub sub;
        sub.seed = seed * 1000 + static_cast<unsigned long long>(i);
        if (i > 0) sub.alignment.dx = 9 * random.normal(), sub.alignment.dy = 9 * random.normal(), sub.alignment.rotation_deg = 0.02 * random.normal();
        sub.fwhm_px = s.fwhm_px * (1 + 0.03 * random.normal());
        if (begin) takeAt(run, sub, isoTime(begin->plusSeconds(i * (exposure_s + 6))));
        run.subs.push_back(sub);
    }
    return run;
}

Status writeVirtualSub(const VirtualRun& run, std::size_t index, const fs::path& file) {
    const Plane p = photographSub(run, run.subs[index]);
    return writeFits(file, {&p}, subCards(run, "Light", run.scene.sub_exposure_s, run.subs[index].start), FitsPixels::UInt16);
}

Status writeVirtualRun(const VirtualRun& run, const fs::path& folder, const VirtualFrames& frames) {
    std::error_code failed;
    fs::create_directories(folder, failed);
    if (failed) return Error{fmt::format("{} cannot be made ({}); choose another folder.", shown(folder), failed.message())};
    for (std::size_t i = 0; i < run.subs.size(); ++i)
        if (Status done = writeVirtualSub(run, i, folder / fmt::format("light-{:03}.fits", i + 1)); !done) return done;
    const auto write = [&](const char* name, const char* kind, int count, double exposure_s, auto photograph) -> Status {
        for (int i = 0; i < count; ++i) {
            const Plane p = photograph(static_cast<unsigned long long>(i + 1));
            if (Status done = writeFits(folder / fmt::format("{}-{:03}.fits", name, i + 1), {&p}, subCards(run, kind, exposure_s, ""), FitsPixels::UInt16);
                !done)
                return done;
        }
        return Done{};
    };
    const double t = run.scene.sub_exposure_s;
    if (Status s = write("dark", "Dark", frames.darks, t, [&](unsigned long long k) { return photographDark(run, t, 100'000 + k); }); !s) return s;
    if (Status s = write("bias", "Bias", frames.biases, 0.001, [&](unsigned long long k) { return photographDark(run, 0.001, 200'000 + k); }); !s) return s;
    if (Status s = write("flat", "Flat", frames.flats, 1,
                         [&](unsigned long long k) { return photographFlat(run, frames.flat_e * (1 + 0.05 * static_cast<double>(k)), 300'000 + k); });
        !s)
        return s;
    const SceneRig& rig = run.scene.rig;
    Json recipe = {{"caelumen_subs", 1},
                   {"rig",
                    {{"focal_length_mm", rig.focal_mm},
                     {"aperture_mm", rig.aperture_mm},
                     {"obstruction", rig.obstruction},
                     {"pixel_um", rig.pixel_um},
                     {"gain_e_per_adu", rig.gain_e_per_adu},
                     {"read_noise_e", rig.readNoise_e},
                     {"full_well_e", rig.fullWell_e},
                     {"pedestal_adu", rig.pedestal_adu},
                     {"full_scale_adu", rig.fullScale_adu}}},
                   {"run", {{"id", run.scene.id}, {"filter", run.scene.filter.id}, {"sub_exposure_s", t}}},
                   {"lights", {"light-*.fits"}}};
    if (frames.darks > 0) recipe["darks"] = {"dark-*.fits"};
    if (frames.flats > 0) recipe["flats"] = {"flat-*.fits"};
    if (frames.biases > 0) recipe["biases"] = {"bias-*.fits"};
    return writeFile(folder / "subs.json", jsonText(recipe, 2) + "\n");
}

} // namespace caelumen
