#include "core/model/trial_json.h"

#include "core/base/file.h"
#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/base/time_text.h"
#include "core/model/filter_kinds.h"
#include "core/model/plan_json.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

namespace caelumen {
namespace {

Rig readRig(const JsonFields& r, bool withName) {
    Rig rig;
    if (withName) rig.name = r.text("name");
    rig.focal_length_mm = r.positive("focal_length_mm", 1e6);
    rig.aperture_mm = r.positive("aperture_mm", 1e5);
    rig.obstruction = r.number("obstruction", 0, 0.95);
    rig.pixel_um = r.positive("pixel_um", 1e3);
    rig.gain_e_per_adu = r.positive("gain_e_per_adu", 1e6);
    rig.read_noise_e = r.number("read_noise_e", 0, 1e5);
    rig.full_well_e = r.positive("full_well_e");
    rig.pedestal_adu = r.number("pedestal_adu", -1e9, 1e9);
    rig.full_scale_adu = r.positive("full_scale_adu");
    rig.filter_thickness_mm = r.number("filter_thickness_mm", 0, 100);
    rig.reducer = r.positive("reducer", 100);
    rig.back_focus_mm = r.positive("back_focus_mm", 10'000);
    rig.camera = r.text("camera");
    rig.gain_setting = r.number("gain_setting", 0, 1e6);
    for (const auto& [name, value] : r.items("gaps_mm")) {
        if (!value->is_number() || !(value->get<double>() > 0) || value->get<double>() > 1e4)
            r.fail(phrase("has a gap \"{}\" that must be millimetres above zero", name));
        rig.gaps_mm[name] = value->get<double>();
    }
    return rig;
}

/// Horizon, light domes and lamps of a site.
void readSurroundings(const JsonFields& r, Site& site) {
    if (const Json* points = r.list("horizon")) {
        for (const Json& point : *points) {
            const JsonFields p(point, r.file(), phrase("a point of the horizon"));
            const auto azimuth = p.number("azimuth_deg", 0, 360), altitude = p.number("altitude_deg", -10, 90);
            if (!azimuth || !altitude) p.fail(phrase("needs \"azimuth_deg\" and \"altitude_deg\""));
            site.horizon.push_back({*azimuth, *altitude});
        }
        std::stable_sort(site.horizon.begin(), site.horizon.end(), [](const HorizonPoint& a, const HorizonPoint& b) { return a.azimuth_deg < b.azimuth_deg; });
    }
    if (const Json* domes = r.list("light_domes")) {
        for (const Json& dome : *domes) {
            const JsonFields d(dome, r.file(), phrase("a light dome of the site"));
            const auto azimuth = d.number("azimuth_deg", 0, 360);
            if (!azimuth) d.fail(phrase("needs \"azimuth_deg\""));
            const LightDome usual;
            site.domes.push_back(
                {*azimuth, d.positive("half_width_deg", 180).value_or(usual.half_width_deg), d.number("strength", 0, 1000).value_or(usual.strength)});
        }
    }
    if (r.field("lamps")) {
        const JsonFields l = r.object("lamps", phrase("the lamps of the site"));
        LampMix mix{0, 0, 0, 0, 0};
        for (const auto& [key, part] : {std::pair{"high_pressure_sodium", &mix.highPressureSodium},
                                        {"low_pressure_sodium", &mix.lowPressureSodium},
                                        {"metal_halide", &mix.metalHalide},
                                        {"led_warm", &mix.ledWarm},
                                        {"led_cool", &mix.ledCool}})
            *part = l.number(key, 0, 1e6).value_or(0);
        if (!(mix.highPressureSodium + mix.lowPressureSodium + mix.metalHalide + mix.ledWarm + mix.ledCool > 0))
            l.fail(phrase("name no lamp with a part above zero"));
        site.lamps = mix;
    }
}

Filter readFilter(const JsonFields& r) {
    Filter f;
    f.id = r.needText("id");
    f.name = r.text("name", f.id);
    f.kind = r.text("kind", "other");
    f.curve = r.text("curve");
    f.claimed_curve = r.text("claimed_curve");
    f.certificate = r.text("certificate");
    f.guessed = r.flag("guessed");
    f.effective_index = r.number("effective_index", 1.4, 2.2);
    f.obtained = r.text("obtained");
    f.made_for_f_ratio = r.number("made_for_f_ratio", 0.7, 100);
    f.thickness_mm = r.positive("thickness_mm", 100);
    f.clear_aperture_mm = r.positive("clear_aperture_mm", 1000);
    f.claimed_density = r.positive("claimed_density", 9);
    f.set_size = r.whole("set_size", 1, 100).value_or(1);
    f.set = r.text("set");
    f.mount = r.text("mount");
    f.notes = r.text("notes");
    f.photos = r.texts("photos");
    if (const Json* claims = r.list("claimed_bands")) {
        for (const Json& claim : *claims) {
            const JsonFields c(claim, r.file(), phrase("a claimed band of filter \"{}\"", f.id));
            const auto centre = c.number("center_nm", 100, 3000);
            if (!centre) c.fail(phrase("needs \"center_nm\""));
            f.claims.push_back({*centre, c.positive("fwhm_nm", 2000), c.number("peak", 0, 2)});
        }
    }
    if (r.field("price")) {
        const JsonFields p = r.object("price", phrase("the price of filter \"{}\"", f.id));
        f.price = Price{p.number("amount", 0, 1e9).value_or(0), p.number("shipping", 0, 1e9).value_or(0), p.text("currency")};
    }
    return f;
}

std::string readTime(const JsonFields& r, const char* key) {
    const std::string given = r.text(key);
    if (given.empty()) return given;
    const auto utc = utcTime(given);
    if (!utc) r.fail(phrase("has \"{}\" = \"{}\"; give UTC as 2026-06-20T18:05:00Z, or with an offset as 2026-06-20T20:05:00+02:00", key, given));
    return *utc;
}

Run readRun(const JsonFields& r) {
    Run run;
    run.id = r.needText("id");
    run.filter = r.needText("filter");
    run.baseline = r.flag("baseline");
    run.stack = r.needText("stack");
    run.combine = r.text("combine", "mean");
    run.bayer = r.text("bayer");
    if (!run.bayer.empty() && run.bayer != "none" && run.bayer != "RGGB" && run.bayer != "BGGR" && run.bayer != "GRBG" && run.bayer != "GBRG")
        r.fail(phrase("has \"bayer\" = \"{}\"; it must be RGGB, BGGR, GRBG, GBRG or none", run.bayer));
    if (run.combine != combined_by::mean && run.combine != combined_by::median && run.combine != combined_by::sum)
        r.fail(phrase("has \"combine\" = \"{}\"; it must be mean, median or sum", run.combine));
    run.sub_exposure_s = r.positive("sub_exposure_s", 1e7);
    run.sub_count = r.whole("sub_count", 1, 10'000'000);
    run.start = readTime(r, "start");
    run.sensor_temperature_c = r.number("sensor_temperature_c", -273, 100);
    run.short_stack = r.text("short_stack");
    run.short_exposure_s = r.positive("short_exposure_s", 1e7);
    run.short_count = r.whole("short_count", 1, 10'000'000);
    run.odd_stack = r.text("odd_stack");
    run.even_stack = r.text("even_stack");
    if (run.odd_stack.empty() != run.even_stack.empty()) r.fail(phrase("has only one of \"odd_stack\" and \"even_stack\"; give both or neither"));
    run.rig = readRig(r, false);
    run.rig.name = r.text("camera");
    run.note = r.text("note");
    run.guessed = r.flag("guessed");
    return run;
}

Region readRegion(const JsonFields& r) {
    Region region;
    region.id = r.needText("id");
    region.channel = r.text("channel");
    region.name = r.text("name");
    region.guessed = r.flag("guessed");
    const std::string role = r.needText("role");
    if (role == "halo_star") {
        region.role = RegionRole::HaloStar;
        region.shape = RegionShape::Star;
        auto at = r.point("at");
        if (!at) at = r.point("center");
        if (!at) r.fail(phrase("needs \"at\": [x, y]"));
        region.points = {*at};
        return region;
    }
    if (role == "nebula")
        region.role = RegionRole::Nebula;
    else if (role == "sky")
        region.role = RegionRole::Sky;
    else
        r.fail(phrase("has \"role\" = \"{}\"; it must be nebula, sky or halo_star", role));
    const std::string shape = r.needText("shape");
    if (shape == "circle") {
        region.shape = RegionShape::Circle;
        const auto centre = r.point("center");
        const auto radius = r.positive("radius", 1e6);
        if (!centre || !radius) r.fail(phrase("needs \"center\": [x, y] and \"radius\""));
        region.points = {*centre};
        region.radius = *radius;
    } else if (shape == "rect") {
        region.shape = RegionShape::Rect;
        const auto low = r.point("min"), high = r.point("max");
        if (!low || !high) r.fail(phrase("needs \"min\": [x, y] and \"max\": [x, y]"));
        region.points = {{std::min(low->x, high->x), std::min(low->y, high->y)}, {std::max(low->x, high->x), std::max(low->y, high->y)}};
    } else if (shape == "polygon") {
        region.shape = RegionShape::Polygon;
        const Json* points = r.list("points");
        if (!points || points->size() < 3) r.fail(phrase("needs \"points\" with three or more corners"));
        for (const Json& p : *points) region.points.push_back(r.asPoint(p, "points"));
    } else {
        r.fail(phrase("has \"shape\" = \"{}\"; it must be circle, rect or polygon", shape));
    }
    return region;
}

template<class Item, class Read>
std::vector<Item> readList(const JsonFields& r, const char* key, const char* what, Read read) {
    std::vector<Item> out;
    std::set<std::string> ids;
    const Json* list = r.list(key, 1000); // each run and region is measured, each filter shown
    if (!list) return out;
    std::size_t n = 0;
    for (const Json& json : *list) {
        const JsonFields reader(json, r.file(), fmt::format("{} {}", what, ++n));
        out.push_back(read(reader));
        if (!ids.insert(out.back().id).second) reader.fail(phrase("repeats the id \"{}\"; ids must differ", out.back().id));
    }
    return out;
}

template<class T>
void put(Json& json, const char* key, const std::optional<T>& value) {
    if (value) json[key] = *value;
}
void put(Json& json, const char* key, const std::string& value) {
    if (!value.empty()) json[key] = value;
}
void putIf(Json& json, const char* key, bool value) {
    if (value) json[key] = true;
}

void rigToJson(Json& j, const Rig& rig) {
    put(j, "focal_length_mm", rig.focal_length_mm);
    put(j, "aperture_mm", rig.aperture_mm);
    put(j, "obstruction", rig.obstruction);
    put(j, "pixel_um", rig.pixel_um);
    put(j, "gain_e_per_adu", rig.gain_e_per_adu);
    put(j, "read_noise_e", rig.read_noise_e);
    put(j, "full_well_e", rig.full_well_e);
    put(j, "pedestal_adu", rig.pedestal_adu);
    put(j, "full_scale_adu", rig.full_scale_adu);
    put(j, "filter_thickness_mm", rig.filter_thickness_mm);
    put(j, "reducer", rig.reducer);
    put(j, "back_focus_mm", rig.back_focus_mm);
    if (!rig.camera.empty()) j["camera"] = rig.camera;
    put(j, "gain_setting", rig.gain_setting);
    for (const auto& [name, gap] : rig.gaps_mm) j["gaps_mm"][name] = gap;
}

Json pointToJson(Point p) {
    return Json::array({p.x, p.y});
}

} // namespace

Result<Trial> trialFromJson(const Json& json, const std::string& name) {
    return understood<Trial>(name, [&]() -> Result<Trial> {
        const JsonFields root(json, name, phrase("the trial"));
        root.needFormat("caelumen_trial", "a trial file");
        Trial t;
        t.title = root.text("title");
        const JsonFields site = root.object("site", phrase("the site"));
        t.site.name = site.text("name");
        t.site.latitude_deg = site.number("latitude_deg", -90, 90);
        t.site.longitude_deg = site.number("longitude_deg", -360, 360);
        t.site.elevation_m = site.number("elevation_m", -500, 9000).value_or(0);
        t.site.bortle = site.whole("bortle", 1, 9);
        t.site.sqm = site.number("sqm", 5, 25);
        t.site.zone = site.text("zone");
        readSurroundings(site, t.site);
        const JsonFields target = root.object("target", phrase("the target"));
        t.target.name = target.text("name");
        t.target.ra_deg = target.number("ra_deg", 0, 360);
        t.target.dec_deg = target.number("dec_deg", -90, 90);
        t.rig = readRig(root.object("rig", phrase("the rig")), true);
        t.filters = readList<Filter>(root, "filters", "filter", readFilter);
        t.runs = readList<Run>(root, "runs", "run", readRun);
        t.regions = readList<Region>(root, "regions", "region", readRegion);
        if (const auto plan = json.find("plan"); plan != json.end() && !plan->is_null()) {
            auto read = planFromJson(*plan, name + phrase(", the plan,"));
            if (!read) return read.error();
            t.plan = std::move(*read);
        }
        int baselines = 0;
        for (const Run& run : t.runs) {
            baselines += run.baseline;
            if (!t.filter(run.filter)) root.fail(phrase("has run \"{}\" with filter \"{}\", which is not among its filters", run.id, run.filter));
        }
        if (baselines > 1) root.fail(phrase("marks more than one run as baseline; mark one"));
        return t;
    });
}

Result<Trial> readTrial(const std::filesystem::path& path) {
    const auto json = readJson(path);
    if (!json) return json.error();
    return trialFromJson(*json, shown(path));
}

namespace {

Json siteToJson(const Site& s) {
    Json site = Json::object();
    put(site, "name", s.name);
    put(site, "latitude_deg", s.latitude_deg);
    put(site, "longitude_deg", s.longitude_deg);
    site["elevation_m"] = s.elevation_m;
    put(site, "bortle", s.bortle);
    put(site, "sqm", s.sqm);
    put(site, "zone", s.zone);
    for (const HorizonPoint& p : s.horizon) site["horizon"].push_back({{"azimuth_deg", p.azimuth_deg}, {"altitude_deg", p.altitude_deg}});
    for (const LightDome& d : s.domes)
        site["light_domes"].push_back({{"azimuth_deg", d.azimuth_deg}, {"half_width_deg", d.half_width_deg}, {"strength", d.strength}});
    if (const auto& l = s.lamps)
        site["lamps"] = {{"high_pressure_sodium", l->highPressureSodium},
                         {"low_pressure_sodium", l->lowPressureSodium},
                         {"metal_halide", l->metalHalide},
                         {"led_warm", l->ledWarm},
                         {"led_cool", l->ledCool}};
    return site;
}

Json targetToJson(const Target& t) {
    Json target = Json::object();
    put(target, "name", t.name);
    put(target, "ra_deg", t.ra_deg);
    put(target, "dec_deg", t.dec_deg);
    return target;
}

Json filterToJson(const Filter& f) {
    Json o{{"id", f.id}, {"name", f.name}, {"kind", f.kind}};
    put(o, "curve", f.curve);
    put(o, "claimed_curve", f.claimed_curve);
    put(o, "certificate", f.certificate);
    if (f.price) o["price"] = {{"amount", f.price->amount}, {"currency", f.price->currency}, {"shipping", f.price->shipping}};
    putIf(o, "guessed", f.guessed);
    put(o, "effective_index", f.effective_index);
    put(o, "obtained", f.obtained);
    put(o, "made_for_f_ratio", f.made_for_f_ratio);
    put(o, "thickness_mm", f.thickness_mm);
    put(o, "clear_aperture_mm", f.clear_aperture_mm);
    put(o, "claimed_density", f.claimed_density);
    if (f.set_size > 1) o["set_size"] = f.set_size;
    put(o, "set", f.set);
    put(o, "mount", f.mount);
    put(o, "notes", f.notes);
    if (!f.photos.empty()) o["photos"] = f.photos;
    for (const BandClaim& c : f.claims) {
        Json claim{{"center_nm", c.center_nm}};
        put(claim, "fwhm_nm", c.fwhm_nm);
        put(claim, "peak", c.peak);
        o["claimed_bands"].push_back(claim);
    }
    return o;
}

Json runToJson(const Run& r) {
    Json o{{"id", r.id}, {"filter", r.filter}};
    putIf(o, "baseline", r.baseline);
    o["stack"] = r.stack;
    o["combine"] = r.combine;
    put(o, "bayer", r.bayer);
    put(o, "sub_exposure_s", r.sub_exposure_s);
    put(o, "sub_count", r.sub_count);
    put(o, "start", r.start);
    put(o, "sensor_temperature_c", r.sensor_temperature_c);
    put(o, "short_stack", r.short_stack);
    put(o, "short_exposure_s", r.short_exposure_s);
    put(o, "short_count", r.short_count);
    put(o, "odd_stack", r.odd_stack);
    put(o, "even_stack", r.even_stack);
    rigToJson(o, r.rig);
    put(o, "camera", r.rig.name);
    put(o, "note", r.note);
    putIf(o, "guessed", r.guessed);
    return o;
}

Json regionToJson(const Region& r) {
    Json o{{"id", r.id}, {"role", regionRoleName(r.role)}};
    switch (r.shape) {
    case RegionShape::Star:
        o["at"] = pointToJson(r.points.at(0));
        break;
    case RegionShape::Circle:
        o["shape"] = "circle";
        o["center"] = pointToJson(r.points.at(0));
        o["radius"] = r.radius;
        break;
    case RegionShape::Rect:
        o["shape"] = "rect";
        o["min"] = pointToJson(r.bounds().min);
        o["max"] = pointToJson(r.bounds().max);
        break;
    case RegionShape::Polygon:
        o["shape"] = "polygon";
        o["points"] = Json::array();
        for (const Point& p : r.points) o["points"].push_back(pointToJson(p));
        break;
    }
    put(o, "channel", r.channel);
    put(o, "name", r.name);
    putIf(o, "guessed", r.guessed);
    return o;
}

template<class T>
Json listToJson(const std::vector<T>& values, Json (*one)(const T&)) {
    Json out = Json::array();
    for (const T& v : values) out.push_back(one(v));
    return out;
}

} // namespace

Json trialToJson(const Trial& t) {
    Json j;
    j["caelumen_trial"] = 1;
    j["title"] = t.title;
    j["site"] = siteToJson(t.site);
    j["target"] = targetToJson(t.target);
    Json rig = Json::object();
    put(rig, "name", t.rig.name);
    rigToJson(rig, t.rig);
    j["rig"] = std::move(rig);
    j["filters"] = listToJson(t.filters, filterToJson);
    j["runs"] = listToJson(t.runs, runToJson);
    j["regions"] = listToJson(t.regions, regionToJson);
    if (t.plan) j["plan"] = planToJson(*t.plan);
    return j;
}

} // namespace caelumen
