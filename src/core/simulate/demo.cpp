#include "core/simulate/demo.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/image/fits_writer.h"
#include "core/model/filter_kinds.h"
#include "core/optics/spacing.h"
#include "core/simulate/truth.h"
#include "core/sky/ephemeris.h"
#include "core/sky/moonlight.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

Curve sampled(const std::function<double(double)>& t, double from = 340, double to = 1050) {
    Curve c;
    for (double nm = from; nm <= to + 1e-9; nm += 0.25) {
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(std::clamp(t(nm), 0.0, 1.0));
    }
    return c;
}

/// A coated band: flat top, steep sides; `width` is the full width at half maximum.
double band(double nm, double centre, double width, double peak) {
    return peak * std::exp(-std::log(2.0) * std::pow(2 * std::abs(nm - centre) / width, 6));
}
double step(double nm, double edge, double width) {
    return 1 / (1 + std::exp(-(nm - edge) / width));
}

struct Place {
    Site site;
    LampMix lamps;
    double gradient_u, gradient_v;
};

Place place(const char* name, double lat, double lon, double elevation, int bortle, LampMix lamps, double u, double v, std::vector<HorizonPoint> horizon) {
    Place p{{name, lat, lon, elevation, bortle, std::nullopt}, lamps, u, v};
    p.site.lamps = lamps;
    p.site.zone = "Africa/Johannesburg";
    p.site.horizon = std::move(horizon);
    return p;
}

/// What the made-up makers say. One of them is too proud: the four-band filter's last band.
std::vector<BandClaim> claimsOf(const std::string& id) {
    if (id == "quartet") return {{486, 10, 0.9}, {501, 10, 0.9}, {656, 10, 0.9}, {672, 7, 0.97}};
    if (id == "duo7") return {{500.7, 7, 0.9}, {656.3, 7, 0.9}};
    if (id == "duo3") return {{500.7, 3, 0.88}, {656.3, 3, 0.88}};
    if (id == "ember") return {{500.7, 6, 0.9}, {672.4, 6, 0.9}};
    return {};
}

struct RunPlan {
    const char* id;
    const char* filter;
    int startMinute;         ///< after the first run
    double dx, dy, turn_deg; ///< how the camera came back after the swap
    double fwhm;
};

SimulatedTrial plan(const char* folder, const char* title, const Place& where, const Target& target, const char* firstStart, const std::vector<RunPlan>& plans,
                    int width, unsigned long long seed) {
    SimulatedTrial out;
    out.folder = folder;
    out.seed = seed;
    Trial& t = out.trial;
    t.title = title;
    t.site = where.site;
    t.target = target;
    const SceneRig rig;
    t.rig.name = "84 mm f/5 apochromat, colour camera with a clear window";
    t.rig.focal_length_mm = rig.focal_mm;
    t.rig.aperture_mm = rig.aperture_mm;
    t.rig.obstruction = 0.0;
    t.rig.pixel_um = rig.pixel_um;
    t.rig.gain_e_per_adu = rig.gain_e_per_adu;
    t.rig.read_noise_e = rig.readNoise_e;
    t.rig.full_well_e = rig.fullWell_e;
    t.rig.pedestal_adu = rig.pedestal_adu;
    t.rig.full_scale_adu = rig.fullScale_adu;
    t.rig.gaps_mm = {{"sensor window to sensor", 2.0}, {"filter to sensor window", 17.5}};
    t.rig.filter_thickness_mm = 1.85;

    const double shrink = width / 1600.0;
    const int height = static_cast<int>(std::lround(1067 * shrink));
    const auto filters = demoFilters();
    const auto start = parseTime(firstStart);
    for (const RunPlan& p : plans) {
        const auto f = std::find_if(filters.begin(), filters.end(), [&](const SceneFilter& s) { return s.id == p.filter; });
        SceneRun r;
        r.id = p.id;
        r.filter = *f;
        r.width = width;
        r.height = height;
        r.alignment.dx = p.dx;
        r.alignment.dy = p.dy;
        r.alignment.rotation_deg = p.turn_deg;
        r.fwhm_px = p.fwhm;
        r.noiseSeed = seed * 100 + out.runs.size() + 1;
        r.sky.lamps = where.lamps;
        r.sky.gradient_u = where.gradient_u;
        r.sky.gradient_v = where.gradient_v;
        r.sky.zenith_mag = bortleBrightness(*where.site.bortle);
        const JulianDate begin = start->plusSeconds(60.0 * p.startMinute);
        const SkyMoment sky = skyAt({*where.site.latitude_deg, *where.site.longitude_deg, where.site.elevation_m},
                                    begin.plusSeconds(r.sub_exposure_s * r.sub_count / 2), target.ra_deg, target.dec_deg);
        r.sky.moon_nl = moonlightNanoLamberts(sky.moonPhaseAngle_deg, sky.moon.alt_deg, sky.target->alt_deg, *sky.moonSeparation_deg);
        r.sky.extinction = std::pow(10, -0.4 * 0.17 * sky.airmass.value_or(2));
        out.runs.push_back(r);

        Run run;
        run.id = p.id;
        run.filter = p.filter;
        run.baseline = out.runs.size() == 1;
        run.stack = fmt::format("{}-{}.fits", p.id, p.filter);
        run.sub_exposure_s = r.sub_exposure_s;
        run.sub_count = r.sub_count;
        run.sensor_temperature_c = -10;
        int hour = 0, minute = 0;
        std::string date = std::string(firstStart).substr(0, 10);
        std::sscanf(firstStart + 11, "%d:%d", &hour, &minute);
        const int at = hour * 60 + minute + p.startMinute;
        run.start = fmt::format("{}T{:02}:{:02}:00Z", date, at / 60, at % 60);
        t.runs.push_back(run);
        if (!t.filter(p.filter)) {
            Filter tf{f->id, f->name, f->kind, fmt::format("curves/{}.csv", f->id), std::nullopt, false, claimsOf(f->id), std::nullopt};
            tf.obtained = f->id == "duo3" ? "lent by the maker" : "bought";
            tf.mount = "2 inch, M48";
            tf.thickness_mm = 1.85;
            tf.clear_aperture_mm = 45;
            if (f->id == "duo3") tf.claimed_density = 4; // it keeps 3
            t.filters.push_back(tf);
        }
    }
    const auto at = [&](double x, double y) { return Point{x * width, y * height}; };
    const double r = 0.032 * width;
    t.regions = {{"N1", RegionRole::Nebula, RegionShape::Circle, {at(0.50, 0.52)}, 1.3 * r, "", "Bright heart", false},
                 {"N2", RegionRole::Nebula, RegionShape::Circle, {at(0.33, 0.40)}, r, "", "Outer front", false},
                 {"S1", RegionRole::Sky, RegionShape::Rect, {at(0.02, 0.03), at(0.12, 0.17)}, 0, "", "", false},
                 {"S2", RegionRole::Sky, RegionShape::Rect, {at(0.88, 0.03), at(0.98, 0.17)}, 0, "", "", false},
                 {"S3", RegionRole::Sky, RegionShape::Rect, {at(0.02, 0.83), at(0.12, 0.97)}, 0, "", "", false},
                 {"S4", RegionRole::Sky, RegionShape::Rect, {at(0.88, 0.83), at(0.98, 0.97)}, 0, "", "", false},
                 {"H1", RegionRole::HaloStar, RegionShape::Star, {at(0.79, 0.33)}, 0, "", "", false}};
    out.brightStar = {at(0.79, 0.33), 5.6, 9500};
    return out;
}

Price priceOf(const std::string& id) {
    if (id == "open") return {49, 8, "EUR"};
    if (id == "veldglow") return {129, 8, "EUR"};
    if (id == "quartet") return {189, 12, "EUR"};
    if (id == "duo7" || id == "ember") return {430, 14, "EUR"}; // of their set
    if (id == "duo3") return {419, 15, "EUR"};
    return {239, 12, "EUR"};
}

} // namespace

std::vector<SceneFilter> demoFilters() {
    const auto leak = [](double nm) { return 2e-4 + 0 * nm; };
    return {
        {"open", "Clearpane UV/IR cut", filter_kind::uvIrCut, sampled([](double nm) { return 0.965 * step(nm, 402, 2.5) * (1 - step(nm, 692, 3)); }), {}},
        {"veldglow",
         "Veldglow city suppressor",
         filter_kind::lightPollution,
         sampled([](double nm) { return band(nm, 465, 120, 0.93) + band(nm, 655, 66, 0.94); }),
         {{glassAsAir_mm(1.85), 0.0012, {}}}},
        {"quartet",
         "Quartet 10 four-band",
         filter_kind::multiBand,
         sampled([&](double nm) {
             return leak(nm) + band(nm, 486.3, 9.5, 0.9) + band(nm, 501.2, 10, 0.92) + band(nm, 656.0, 10, 0.93) + band(nm, 672.6, 10, 0.9);
         }),
         {{glassAsAir_mm(1.85), 0.004, {}}}},
        {"duo7",
         "Twinline 7",
         filter_kind::dualBand,
         sampled([&](double nm) { return leak(nm) + band(nm, 500.6, 7, 0.92) + band(nm, 656.3, 7, 0.93); }),
         {{2.0, 0.0035, {1.5, -1.0}}}},
        {"duo3",
         "Twinline 3",
         filter_kind::dualBand,
         sampled([&](double nm) { return leak(nm) + band(nm, 500.7, 3, 0.88) + band(nm, 656.3, 3, 0.9); }),
         {{2.0, 0.012, {0, 0}}}},
        {"ember",
         "Ember sulphur-oxygen 6",
         filter_kind::dualBand,
         sampled([&](double nm) { return leak(nm) + band(nm, 500.7, 6, 0.9) + band(nm, 672.4, 6, 0.9); }),
         {}},
    };
}

std::vector<SimulatedTrial> demoTrials(int width) {
    const Target south{"NGC 6188", 250.1, -48.7}, hen{"IC 2944", 174.5, -63.0};
    const Place roof = place("Quayside roof", -34.2, 22.1, 20, 8, {0.35, 0.05, 0.15, 0.15, 0.30}, 0.10, 0.16,
                             {{0, 34}, {40, 38}, {60, 22}, {110, 12}, {170, 10}, {230, 14}, {260, 27}, {300, 31}}); // parapet and stairwell
    const Place garden = place("Honeybush garden", -34.0, 22.4, 180, 5, {0.55, 0.10, 0.05, 0.20, 0.10}, -0.12, 0.07,
                               {{0, 16}, {70, 24}, {95, 31}, {120, 20}, {180, 9}, {240, 18}, {290, 12}}); // trees in the east
    const Place plateau = place("Stonefold plateau", -32.4, 21.6, 1450, 3, {0.6, 0.1, 0.05, 0.15, 0.10}, 0.03, -0.04,
                                {{0, 2}, {80, 3}, {140, 6}, {165, 9}, {200, 5}, {300, 2}}); // a low ridge in the south-east
    std::vector<SimulatedTrial> trials;

    trials.push_back(plan("roof-full-moon", "Quayside roof, full moon", roof, south, "2026-06-29T18:10:00Z",
                          {{"A", "open", 0, 0, 0, 0, 2.9},
                           {"B", "veldglow", 66, 3.4, -2.1, 0.10, 3.0},
                           {"C", "quartet", 132, -4.2, 5.7, -0.22, 3.0},
                           {"D", "duo7", 198, 7.9, 3.3, 0.35, 2.9},
                           {"E", "duo3", 264, -2.6, -6.4, -0.15, 3.1}},
                          width, 41));
    trials.push_back(plan("garden-first-quarter", "Honeybush garden, first quarter", garden, hen, "2026-06-21T17:20:00Z",
                          {{"A", "open", 0, 0, 0, 0, 3.0},
                           {"B", "duo7", 66, -5.1, 2.2, 0.2, 3.0},
                           {"C", "duo3", 132, 4.4, 6.1, -0.3, 3.1},
                           {"D", "ember", 198, 2.3, -3.8, 0.15, 3.1},
                           {"E", "quartet", 264, -6.8, -1.9, 0.4, 3.3}},
                          width, 57));
    // Fog came up during the last run: spoiled on purpose.
    SceneRun& foggy = trials.back().runs.back();
    foggy.sky.fog = 0.22;
    foggy.sky.extinction *= 0.62;
    foggy.sky.zenith_mag -= 0.7;
    trials.back().trial.runs.back().note = "Ground fog from about half way";

    trials.push_back(plan("plateau-new-moon", "Stonefold plateau, new moon", plateau, south, "2026-06-15T19:00:00Z",
                          {{"A", "open", 0, 0, 0, 0, 2.7}, {"B", "duo7", 66, 4.9, -3.6, 0.25, 2.8}, {"C", "veldglow", 132, -3.1, 4.4, -0.1, 2.8}}, width, 41));
    // Another exposure, gain, night and temperature: unfair on purpose.
    SimulatedTrial& dry = trials.back();
    SceneRun& odd = dry.runs.back();
    odd.sub_exposure_s = 60;
    odd.sub_count = 20;
    odd.rig.gain_e_per_adu = 0.25;
    odd.rig.readNoise_e = 1.2;
    odd.rig.fullWell_e = 16000;
    Run& written = dry.trial.runs.back();
    written.sub_exposure_s = 60;
    written.sub_count = 20;
    written.rig.gain_e_per_adu = 0.25;
    written.rig.read_noise_e = 1.2;
    written.rig.full_well_e = 16000;
    written.sensor_temperature_c = -2;
    written.start = "2026-06-17T22:30:00Z";
    for (SimulatedTrial& t : trials)
        for (Filter& f : t.trial.filters) {
            f.price = priceOf(f.id);
            if (f.id == "duo7" || f.id == "ember") f.set = "Three lines in two", f.set_size = 2;
        }
    return trials;
}

Status writeTrial(const SimulatedTrial& s, const fs::path& out, const Job& job) {
    const fs::path folder = out / s.folder;
    std::error_code failed;
    fs::create_directories(folder / "curves", failed);
    if (failed) return Error{fmt::format("{} cannot be made ({}); choose another folder.", shown(folder), failed.message())};
    const SceneRun& first = s.runs.front();
    constexpr int margin = 48;
    const NebulaMap nebula = makeNebula(first.width, first.height, margin, s.seed, s.nebulaBrightness);
    std::vector<SceneStar> stars = makeStars(first.width, first.height, margin, s.seed, s.starsPerSquareDegree, first.rig.scale_arcsec(), 8.2, 16.5);
    const std::vector<SceneStar> faint =
        makeFaintStars(first.width, first.height, margin, s.seed, s.starsPerSquareDegree, first.rig.scale_arcsec(), 16.5, kDeepestStar);
    stars.insert(stars.end(), faint.begin(), faint.end());
    std::erase_if(stars, [&](const SceneStar& x) { return std::hypot(x.at.x - s.brightStar.at.x, x.at.y - s.brightStar.at.y) < 25; });
    stars.push_back(s.brightStar);

    std::array<std::vector<char>, 4> hidden; // by channel: what any run shows is hidden in all
    for (const SceneRun& run : s.runs)
        for (const int c : run.camera == SceneCamera::Mono ? std::vector<int>{3} : std::vector<int>{0, 1, 2})
            markFound(run, c, nebula, stars, hidden[static_cast<std::size_t>(c)]);
    TruthBook truth(s.trial, nebula, stars);
    for (std::size_t i = 0; i < s.runs.size(); ++i) {
        const SceneRun& run = s.runs[i];
        const Run& written = s.trial.runs[i];
        const bool mono = run.camera == SceneCamera::Mono, baseline = i == 0;
        std::vector<Plane> planes;
        std::array<CleanPlane, 3> all;
        for (int c = 0; c < (mono ? 1 : 3); ++c) {
            if (job.cancelled()) return Error{kCancelled};
            job.report((static_cast<double>(i) + c / 3.0) / static_cast<double>(s.runs.size()), fmt::format("Photographing {}, run {}", s.trial.title, run.id));
            const int channel = mono ? 3 : c;
            CleanPlane clean = renderClean(run, channel, nebula, stars, &hidden[static_cast<std::size_t>(channel)]);
            truth.add(run, channel, mono ? "L" : std::string(1, "RGB"[c]), baseline, clean);
            if (run.camera == SceneCamera::Mosaic)
                all[static_cast<std::size_t>(c)] = std::move(clean);
            else
                planes.push_back(expose(run, clean, channel));
        }
        if (run.camera == SceneCamera::Mosaic) planes.push_back(exposeMosaic(run, all));
        if (!mono) truth.addColours(run, baseline);

        std::vector<HeaderCard> cards{{"EXPTIME", run.sub_exposure_s, "s, each sub"},
                                      {"NCOMBINE", static_cast<long long>(run.sub_count), "subs averaged"},
                                      {"EGAIN", run.rig.gain_e_per_adu, "e-/ADU"},
                                      {"PEDESTAL", run.rig.pedestal_adu, "ADU, added"},
                                      {"XPIXSZ", run.rig.pixel_um, "um"},
                                      {"FOCALLEN", run.rig.focal_mm, "mm"},
                                      {"APTDIA", run.rig.aperture_mm, "mm"},
                                      {"FILTER", run.filter.name, ""},
                                      {"OBJECT", s.trial.target.name, ""},
                                      {"DATE-OBS", written.start.substr(0, written.start.size() - 1), "UTC, first sub"},
                                      {"INSTRUME", std::string("Virtual camera"), ""}};
        if (written.sensor_temperature_c) cards.push_back({"CCD-TEMP", *written.sensor_temperature_c, "C"});
        if (s.trial.target.ra_deg) cards.push_back({"RA", *s.trial.target.ra_deg, "deg, ICRS"});
        if (s.trial.target.dec_deg) cards.push_back({"DEC", *s.trial.target.dec_deg, "deg, ICRS"});
        if (s.trial.site.latitude_deg) cards.push_back({"SITELAT", *s.trial.site.latitude_deg, "deg"});
        if (s.trial.site.longitude_deg) cards.push_back({"SITELONG", *s.trial.site.longitude_deg, "deg, east positive"});
        if (run.camera == SceneCamera::Mosaic) cards.push_back({"BAYERPAT", run.mosaic, "top row first"});
        std::vector<const Plane*> pointers;
        for (const Plane& p : planes) pointers.push_back(&p);
        if (Status done = writeFits(folder / written.stack, pointers, cards); !done) return done;
    }
    for (const SceneRun& run : s.runs)
        if (Status done = writeFile(folder / "curves" / (run.filter.id + ".csv"), curveToCsv(run.filter.curve)); !done) return done;
    if (Status done = writeFile(folder / "trial.json", jsonText(trialToJson(s.trial), 2) + "\n"); !done) return done;
    return writeFile(folder / "truth.json", jsonText(truth.toJson(), 1) + "\n");
}

Status writeDemo(const fs::path& out, const Job& job, int width, const std::string& only) {
    auto trials = demoTrials(width);
    std::vector<std::string> names;
    for (const SimulatedTrial& t : trials) names.push_back(t.folder);
    if (!only.empty()) std::erase_if(trials, [&](const SimulatedTrial& t) { return t.folder != only; });
    if (trials.empty()) return Error{fmt::format("The demo has no trial \"{}\"; it has {}.", only, fmt::join(names, ", "))};
    for (std::size_t i = 0; i < trials.size(); ++i) {
        Job part = job;
        part.progress = [&, i](double done, const std::string& what) {
            job.report((static_cast<double>(i) + done) / static_cast<double>(trials.size()), what);
        };
        if (Status done = writeTrial(trials[i], out, part); !done) return done;
    }
    return Done{};
}

} // namespace caelumen
