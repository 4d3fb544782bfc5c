#include "core/log/log_entry.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/name_facts.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/sky/evening.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// What the log keeps of a run, in the order in which it is shown.
constexpr const char* kKept[] = {q::timeRatio,      q::nebulaSnrHour,    q::background,   q::backgroundMag,  q::nebulaSignal,
                                 q::nebulaContrast, q::haloFluxFraction, q::haloCleanMag, q::starThroughput, q::colourSlope,
                                 q::gradient,       q::starFwhmArcsec,   q::starFwhm};

template<class T>
void put(Json& j, const char* key, const std::optional<T>& v) {
    if (v) j[key] = *v;
}

void put(Json& j, const char* key, const std::string& v) {
    if (!v.empty()) j[key] = v;
}

} // namespace

const LogFigure* LogEntry::figure(const std::string& quantity) const {
    const auto it = std::find_if(figures.begin(), figures.end(), [&](const LogFigure& f) { return f.quantity == quantity; });
    return it == figures.end() ? nullptr : &*it;
}

std::string LogEntry::sky() const {
    if (bortle) return fmt::format("Bortle {}", *bortle);
    return skyMag ? fmt::format("{:.1f} mag", *skyMag) : std::string();
}

std::string LogEntry::moon() const {
    return moonWord(moonIlluminated, moonAltitude_deg);
}

std::string logUid(const std::string& campaign, long long trialId, const std::string& run) {
    return fmt::format("{}#{}#{}", campaign, trialId, run);
}

bool isOneCampaign(const std::vector<const LogEntry*>& before, const std::vector<LogEntry>& now) {
    return !before.empty() && std::all_of(before.begin(), before.end(), [&](const LogEntry* b) {
        return std::any_of(now.begin(), now.end(), [&](const LogEntry& n) {
            return n.trialId == b->trialId && n.run == b->run && n.start == b->start && n.filter == b->filter && n.target.name == b->target.name;
        });
    });
}

std::string moonWord(std::optional<double> illuminated, std::optional<double> altitude_deg) {
    if (!illuminated || !altitude_deg) return {};
    if (*altitude_deg < 0 || *illuminated < 0.03) return "none";
    return *illuminated < 0.35 ? "crescent" : *illuminated < 0.65 ? "half" : *illuminated < 0.95 ? "gibbous" : "full";
}

std::vector<LogEntry> logEntries(const Trial& trial, const TrialResults* results, const std::string& campaign, long long trialId) {
    std::vector<LogEntry> out;
    for (const Run& run : trial.runs) {
        LogEntry e;
        e.campaign = campaign, e.trialId = trialId, e.trial = trial.title, e.run = run.id;
        e.uid = logUid(campaign, trialId, run.id);
        e.stack = run.stack, e.baseline = run.baseline;
        if (const Filter* f = trial.filter(run.filter))
            e.filter = f->name.empty() ? f->id : f->name, e.kind = f->kind, e.photos = f->photos;
        else
            e.filter = run.filter;
        e.target = trial.target;
        e.place = trial.site.name, e.latitude_deg = trial.site.latitude_deg, e.longitude_deg = trial.site.longitude_deg;
        e.bortle = trial.site.bortle, e.skyMag = trial.site.sqm ? trial.site.sqm : skyBrightness(trial.site);
        const Rig rig = effectiveRig(trial, run);
        e.rig = rig.name, e.camera = rig.camera;
        e.start = run.start, e.exposure_s = run.sub_exposure_s, e.count = run.sub_count;
        if (const RunConditions* c = results ? results->conditionsOf(run.id) : nullptr) {
            if (e.start.empty()) e.start = c->start;
            if (!e.exposure_s) e.exposure_s = c->sub_exposure_s;
            if (!e.count) e.count = c->sub_count;
            if (e.camera.empty()) e.camera = c->camera;
            e.total_s = c->total_s;
            if (c->sky) {
                e.moonIlluminated = c->sky->moonIlluminated, e.moonAltitude_deg = c->sky->moon.alt_deg;
                e.moonSeparation_deg = c->sky->moonSeparation_deg;
            }
        } else if (const auto t = e.start.empty() ? Result<JulianDate>(Error{""}) : parseTime(e.start);
                   t && trial.site.latitude_deg && trial.site.longitude_deg) {
            const SkyMoment m = skyAt({*trial.site.latitude_deg, *trial.site.longitude_deg, trial.site.elevation_m},
                                      t->plusSeconds(0.5 * e.exposure_s.value_or(0) * e.count.value_or(0)), trial.target.ra_deg, trial.target.dec_deg);
            e.moonIlluminated = m.moonIlluminated, e.moonAltitude_deg = m.moon.alt_deg, e.moonSeparation_deg = m.moonSeparation_deg;
        }
        if (!e.total_s && e.exposure_s && e.count) e.total_s = *e.exposure_s * *e.count;
        e.night = nightOf(e.start, e.longitude_deg);
        if (results)
            for (const char* id : kKept)
                if (const Measurement* m = results->headline(run.id, id)) {
                    const bool voided = std::any_of(results->fairness.begin(), results->fairness.end(), [&](const Unfairness& f) {
                        return f.run == run.id && f.grade == Grade::Voids && !f.normalised &&
                               std::find(f.quantities.begin(), f.quantities.end(), id) != f.quantities.end();
                    });
                    e.figures.push_back({m->quantity, m->channel, m->value, m->sigma, m->flagged(flag::upperLimit), voided});
                }
        out.push_back(std::move(e));
    }
    return out;
}

LogEntry logEntryOf(const FrameInfo& frame) {
    FrameFacts facts = frame.facts;
    completeFromName(facts, nameText(frame.path.filename()));
    LogEntry e;
    e.stack = nameText(frame.path);
    e.uid = e.stack;
    e.filter = facts.filter.value_or(""), e.target.name = facts.target.value_or("");
    e.target.ra_deg = facts.ra_deg, e.target.dec_deg = facts.dec_deg;
    e.camera = facts.camera.value_or(""), e.rig = facts.telescope.value_or("");
    e.latitude_deg = facts.site_latitude_deg, e.longitude_deg = facts.site_longitude_deg;
    e.start = facts.start.value_or("");
    e.night = nightOf(e.start, e.longitude_deg);
    e.exposure_s = facts.sub_exposure_s, e.count = facts.sub_count;
    if (e.exposure_s) e.total_s = *e.exposure_s * e.count.value_or(1);
    if (const auto t = e.start.empty() ? Result<JulianDate>(Error{""}) : parseTime(e.start); t && e.latitude_deg && e.longitude_deg) {
        const SkyMoment m = skyAt({*e.latitude_deg, *e.longitude_deg, 0}, t->plusSeconds(e.total_s.value_or(0) / 2), e.target.ra_deg, e.target.dec_deg);
        e.moonIlluminated = m.moonIlluminated, e.moonAltitude_deg = m.moon.alt_deg, e.moonSeparation_deg = m.moonSeparation_deg;
    }
    return e;
}

Json logEntryToJson(const LogEntry& e) {
    Json j{{"uid", e.uid}};
    put(j, "campaign", e.campaign), put(j, "trial", e.trial), put(j, "run", e.run), put(j, "stack", e.stack);
    if (e.trialId) j["trial_id"] = e.trialId;
    put(j, "filter", e.filter), put(j, "kind", e.kind);
    if (e.baseline) j["baseline"] = true;
    put(j, "target", e.target.name), put(j, "ra_deg", e.target.ra_deg), put(j, "dec_deg", e.target.dec_deg);
    put(j, "place", e.place), put(j, "latitude_deg", e.latitude_deg), put(j, "longitude_deg", e.longitude_deg);
    put(j, "sky_mag", e.skyMag), put(j, "bortle", e.bortle);
    put(j, "moon_illuminated", e.moonIlluminated), put(j, "moon_altitude_deg", e.moonAltitude_deg), put(j, "moon_separation_deg", e.moonSeparation_deg);
    put(j, "rig", e.rig), put(j, "camera", e.camera), put(j, "start", e.start), put(j, "night", e.night);
    put(j, "exposure_s", e.exposure_s), put(j, "total_s", e.total_s), put(j, "count", e.count);
    for (const LogFigure& f : e.figures) {
        Json o{{"quantity", f.quantity}, {"value", f.value}, {"sigma", f.sigma}};
        put(o, "channel", f.channel);
        if (f.limit) o["limit"] = true;
        if (f.voided) o["voided"] = true;
        j["figures"].push_back(std::move(o));
    }
    if (!e.photos.empty()) j["photos"] = e.photos;
    put(j, "tags", e.tags), put(j, "notes", e.notes);
    return j;
}

Result<LogEntry> logEntryFromJson(const Json& json, const std::string& source) {
    return understood<LogEntry>(source, [&]() -> Result<LogEntry> {
        const JsonFields f(json, source, phrase("an entry"));
        LogEntry e;
        e.uid = f.needText("uid"), e.campaign = f.text("campaign"), e.trial = f.text("trial"), e.run = f.text("run"), e.stack = f.text("stack");
        e.trialId = static_cast<long long>(f.numberOr("trial_id", 0, 0, 1e15));
        e.filter = f.text("filter"), e.kind = f.text("kind"), e.baseline = f.flag("baseline");
        e.target = {f.text("target"), f.number("ra_deg"), f.number("dec_deg")};
        e.place = f.text("place"), e.latitude_deg = f.number("latitude_deg"), e.longitude_deg = f.number("longitude_deg");
        e.skyMag = f.number("sky_mag"), e.bortle = f.whole("bortle", 1, 9);
        e.moonIlluminated = f.number("moon_illuminated"), e.moonAltitude_deg = f.number("moon_altitude_deg"),
        e.moonSeparation_deg = f.number("moon_separation_deg");
        e.rig = f.text("rig"), e.camera = f.text("camera"), e.start = f.text("start"), e.night = f.text("night");
        e.exposure_s = f.number("exposure_s"), e.total_s = f.number("total_s"), e.count = f.whole("count", 0, 100'000'000);
        for (const JsonFields& m : f.objects("figures", 1000))
            e.figures.push_back({m.needText("quantity"), m.text("channel"), m.numberOr("value", 0, -1e300, 1e300), m.numberOr("sigma", 0, 0, 1e300),
                                 m.flag("limit"), m.flag("voided")});
        e.photos = f.texts("photos"), e.tags = f.text("tags"), e.notes = f.text("notes");
        return e;
    });
}

} // namespace caelumen
