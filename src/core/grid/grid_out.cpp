#include "core/grid/grid_out.h"

#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/tables.h"

#include <fmt/format.h>

namespace caelumen {
namespace {

Json moonJson(const std::optional<GridMoon>& moon) {
    if (!moon) return nullptr;
    return {{"illuminated", moon->illuminated}, {"altitude_deg", moon->altitude_deg}, {"separation_deg", moon->separation_deg}};
}

Json cellJson(const GridModel& model, const GridCell& c) {
    Json o{{"filter", c.filter}, {"channel", c.channel.empty() ? Json(nullptr) : Json(c.channel)}};
    o["bortle"] = c.sky.bortle ? Json(*c.sky.bortle) : Json(nullptr);
    o["sky_mag"] = c.sky.zenith_mag;
    o["moon"] = moonJson(c.sky.moon);
    o["target_altitude_deg"] = c.sky.altitude_deg;
    o["origin"] = cellOriginName(c.origin);
    const bool any = c.origin != CellOrigin::Empty;
    o["value"] = any ? Json(c.value) : Json(nullptr);
    o["sigma"] = any ? Json(c.sigma) : Json(nullptr);
    o["model_sigma"] = any ? Json(c.modelSigma) : Json(nullptr);
    o["runs"] = Json::array();
    for (const std::size_t r : c.runs) o["runs"].push_back(model.input().runs[r].label());
    o["background"] = c.background;
    if (c.minutesOfDark) o["hour_worth_dark_minutes"] = {{"value", c.minutesOfDark->value}, {"sigma", c.minutesOfDark->sigma}};
    if (c.histogram_s) o["histogram_s"] = {c.histogram_s->first, c.histogram_s->second};
    if (!any) o["reason"] = c.reason;
    if (!c.notes.empty()) o["notes"] = c.notes;
    return o;
}

Json siteJson(const GridModel& model, std::size_t i) {
    const SiteFit& fit = model.sites()[i];
    const GridSite& site = model.input().sites[i];
    Json o{{"name", site.name}, {"fitted", fit.fitted}};
    o["sky_mag"] = fit.fitted || site.stated_mag ? Json(fit.sky_mag) : Json(nullptr);
    o["sky_mag_sigma"] = fit.fitted || site.stated_mag ? Json(fit.sky_mag_sigma) : Json(nullptr);
    o["sky_mag_stated"] = site.stated_mag ? Json(*site.stated_mag) : Json(nullptr);
    o["lamps"] = Json::object();
    for (std::size_t k = 0; k < kLamps; ++k)
        if (fit.shares[k] > 0.005) o["lamps"][kLampKeys[k]] = fit.shares[k];
    o["residuals"] = Json::array();
    for (const SkyResidual& r : fit.residuals) {
        const GridRun& run = model.input().runs[r.run];
        o["residuals"].push_back({{"trial", run.trial},
                                  {"run", run.run},
                                  {"filter", run.filter},
                                  {"channel", r.channel},
                                  {"measured", r.measured},
                                  {"modelled", r.modelled},
                                  {"sigma", r.sigma}});
    }
    o["brighter"] = Json::array();
    for (const Brighter& b : fit.brighter)
        o["brighter"].push_back({{"run", model.input().runs[b.run].label()}, {"leak", b.leak}, {"haze", b.haze}, {"p_leak", b.pLeak}, {"text", b.text}});
    return o;
}

} // namespace

std::string skyText(const GridSky& sky) {
    std::string out = sky.bortle ? fmt::format("Bortle {}", *sky.bortle) : fmt::format("{:.2f} mag", sky.zenith_mag);
    return out + (sky.moon ? phrase(", moon {:.0f} % lit, {:.0f}\u00b0 high, {:.0f}\u00b0 away", 100 * sky.moon->illuminated, sky.moon->altitude_deg,
                                    sky.moon->separation_deg)
                           : phrase(", no moon"));
}

Json gridToJson(const GridModel& model, const GridQuestion& q, const std::vector<GridCell>& cells, const std::vector<Frontier>& frontiers) {
    Json j{{"caelumen_grid", 1}, {"program", programName()}};
    j["kind"] = targetKindName(q.kind);
    j["quantity"] = gridQuantityName(q.quantity);
    j["unit"] = gridQuantityUnit(q.quantity);
    j["baseline"] = model.input().baseline;
    j["camera"] = model.input().camera.name;
    if (q.quantity == GridQuantity::Contrast || q.quantity == GridQuantity::Hours)
        j["brightness"] = {{"value", q.brightness.value_or(usualBrightness(q.kind))}, {"unit", shinesInLines(q.kind) ? "R" : "mag/arcsec2"}};
    j["model"] = {{"background_error", model.backgroundError()},
                  {"throughput_error", model.throughputError()},
                  {"scale_error", model.scaleError()},
                  {"runs", model.runsBehind()}};
    j["cells"] = Json::array();
    for (const GridCell& c : cells) j["cells"].push_back(cellJson(model, c));
    j["sites"] = Json::array();
    for (std::size_t i = 0; i < model.sites().size(); ++i) j["sites"].push_back(siteJson(model, i));
    j["frontiers"] = Json::array();
    for (const Frontier& f : frontiers)
        j["frontiers"].push_back({{"kind", targetKindName(f.kind)},
                                  {"sky_mag", f.from_mag ? Json(*f.from_mag) : Json(nullptr)},
                                  {"filter", f.filter.empty() ? Json(nullptr) : Json(f.filter)},
                                  {"text", f.text}});
    j["notes"] = model.input().notes;
    return j;
}

std::string gridToCsv(const GridModel& model, const GridQuestion& q, const std::vector<GridCell>& cells) {
    std::string out =
        "filter,channel,bortle,sky_mag,moon_illuminated,moon_altitude_deg,moon_separation_deg,quantity,unit,value,sigma,model_sigma,origin,runs,reason\n";
    for (const GridCell& c : cells) {
        const bool any = c.origin != CellOrigin::Empty;
        std::string runs;
        for (const std::size_t r : c.runs) runs += (runs.empty() ? "" : " ") + model.input().runs[r].label();
        const auto number = [&](bool there, double v) { return there ? fmt::format("{:.6g}", v) : std::string(); };
        out += csvRow({c.filter, c.channel, c.sky.bortle ? std::to_string(*c.sky.bortle) : "", number(true, c.sky.zenith_mag),
                       number(c.sky.moon.has_value(), c.sky.moon ? c.sky.moon->illuminated : 0),
                       number(c.sky.moon.has_value(), c.sky.moon ? c.sky.moon->altitude_deg : 0),
                       number(c.sky.moon.has_value(), c.sky.moon ? c.sky.moon->separation_deg : 0), gridQuantityName(q.quantity), gridQuantityUnit(q.quantity),
                       number(any, c.value), number(any, c.sigma), number(any, c.modelSigma), cellOriginName(c.origin), runs, c.reason});
    }
    return out;
}

} // namespace caelumen
