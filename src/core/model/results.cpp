#include "core/model/results.h"

#include "core/base/json.h"
#include "core/base/tables.h"
#include "core/model/quantity.h"

#include <fmt/format.h>

#include <algorithm>

namespace caelumen {
namespace {

Json orNull(const std::string& text) {
    return text.empty() ? Json(nullptr) : Json(text);
}

std::string_view unitOf(const std::string& id) {
    const Quantity* q = quantity(id);
    return q ? q->unit : std::string_view("1");
}

std::string joined(const std::vector<std::string>& words, const char* between) {
    return fmt::format("{}", fmt::join(words, between));
}

} // namespace

std::string programName() {
    return std::string("caelumen ") + CAELUMEN_VERSION;
}

bool Measurement::flagged(const std::string& flag) const {
    return std::find(flags.begin(), flags.end(), flag) != flags.end();
}

const char* gradeName(Grade grade) {
    switch (grade) {
    case Grade::Note:
        return "note";
    case Grade::Weakens:
        return "weakens";
    case Grade::Voids:
        return "voids";
    }
    return "";
}

const Measurement* TrialResults::find(const std::string& run, const std::string& what, const std::string& channel, const std::string& region) const {
    const auto it = std::find_if(measurements.begin(), measurements.end(), [&](const Measurement& m) {
        return m.run == run && m.quantity == what && (channel.empty() || m.channel == channel) && (region.empty() || m.region == region);
    });
    return it == measurements.end() ? nullptr : &*it;
}

const Measurement* TrialResults::headline(const std::string& run, const std::string& what, const std::string& region) const {
    const Measurement* first = nullptr;
    for (const Measurement& m : measurements) {
        if (m.run != run || m.quantity != what || (!region.empty() && m.region != region)) continue;
        if (m.headline) return &m;
        if (!first) first = &m;
    }
    return first;
}

const RunConditions* TrialResults::conditionsOf(const std::string& run) const {
    const auto it = std::find_if(conditions.begin(), conditions.end(), [&](const RunConditions& c) { return c.run == run; });
    return it == conditions.end() ? nullptr : &*it;
}

const Absence* TrialResults::whyAbsent(const std::string& run, const std::string& what) const {
    const auto it = std::find_if(absent.begin(), absent.end(), [&](const Absence& a) { return a.run == run && a.quantity == what; });
    return it == absent.end() ? nullptr : &*it;
}

Json resultsToJson(const TrialResults& r) {
    Json j;
    j["caelumen_results"] = 1;
    j["program"] = programName();
    j["trial"] = r.trial;
    j["baseline"] = r.baseline;
    j["alignment"] = Json::array();
    for (const auto& [run, a] : r.alignment)
        j["alignment"].push_back({{"run", run},
                                  {"dx", a.dx},
                                  {"dy", a.dy},
                                  {"rotation_deg", a.rotation_deg},
                                  {"scale", a.scale},
                                  {"mirrored", a.mirrored},
                                  {"rms_px", a.rms_px},
                                  {"matched", a.matched}});
    j["measurements"] = Json::array();
    for (const Measurement& m : r.measurements) {
        Json o{{"run", m.run},     {"filter", m.filter}, {"channel", orNull(m.channel)}, {"quantity", m.quantity}, {"region", orNull(m.region)},
               {"value", m.value}, {"sigma", m.sigma},   {"unit", unitOf(m.quantity)},   {"flags", m.flags}};
        if (m.headline) o["headline"] = true;
        if (!m.note.empty()) o["note"] = m.note;
        j["measurements"].push_back(std::move(o));
    }
    j["absent"] = Json::array();
    for (const Absence& a : r.absent)
        j["absent"].push_back({{"run", a.run}, {"channel", orNull(a.channel)}, {"quantity", a.quantity}, {"region", orNull(a.region)}, {"reason", a.reason}});
    j["ranking"] = Json::array();
    for (const Ranking& k : r.ranking) {
        Json o{{"quantity", k.quantity}, {"region", orNull(k.region)}, {"order", Json::array()}, {"pairs", Json::array()}};
        for (const RankedRun& run : k.runs) o["order"].push_back({{"run", run.run}, {"rank", run.rank}, {"value", run.value}, {"sigma", run.sigma}});
        for (const RankedPair& p : k.pairs)
            o["pairs"].push_back(
                {{"better", p.better}, {"worse", p.worse}, {"separated", p.separated}, {"more_subs", p.moreSubs ? Json(*p.moreSubs) : Json(nullptr)}});
        j["ranking"].push_back(std::move(o));
    }
    j["fairness"] = Json::array();
    for (const Unfairness& f : r.fairness)
        j["fairness"].push_back({{"run", f.run},
                                 {"subject", f.subject},
                                 {"grade", gradeName(f.grade)},
                                 {"quantities", f.quantities},
                                 {"text", f.text},
                                 {"normalised", f.normalised}});
    j["warnings"] = r.warnings;
    j["conditions"] = Json::array();
    for (const RunConditions& c : r.conditions) {
        Json o{{"run", c.run}};
        if (c.sub_exposure_s) o["sub_exposure_s"] = *c.sub_exposure_s;
        if (c.sub_count) o["sub_count"] = *c.sub_count;
        if (c.total_s) o["total_s"] = *c.total_s;
        if (!c.start.empty()) o["start"] = c.start;
        if (c.scale_arcsec) o["scale_arcsec"] = *c.scale_arcsec;
        o["facts"] = Json::object();
        for (const Fact& f : c.facts) {
            o["facts"][f.id] = {{"value", f.value}, {"source", factSourceName(f.source)}};
            if (!f.from.empty()) o["facts"][f.id]["from"] = f.from;
        }
        if (!c.conflicts.empty()) o["conflicts"] = c.conflicts;
        if (c.sky) {
            o["moon"] = {{"alt_deg", c.sky->moon.alt_deg}, {"illuminated", c.sky->moonIlluminated}};
            if (c.sky->moonSeparation_deg) o["moon"]["separation_deg"] = *c.sky->moonSeparation_deg;
            if (c.sky->target) o["target_alt_deg"] = c.sky->target->alt_deg;
        }
        j["conditions"].push_back(std::move(o));
    }
    return j;
}

std::string resultsToCsv(const TrialResults& r) {
    std::string out = "run,filter,channel,quantity,region,value,sigma,unit,flags,headline,note\n";
    for (const Measurement& m : r.measurements)
        out += csvRow({m.run, m.filter, m.channel, m.quantity, m.region, fmt::format("{:.9g}", m.value), fmt::format("{:.4g}", m.sigma),
                       std::string(unitOf(m.quantity)), joined(m.flags, " "), m.headline ? "yes" : "", m.note});
    for (const Absence& a : r.absent)
        out += csvRow({a.run, "", a.channel, a.quantity, a.region, "", "", std::string(unitOf(a.quantity)), "absent", "", a.reason});
    return out;
}

const Ranking* rankingOf(const TrialResults& results, std::string_view quantity, const std::string& region) {
    const auto it = std::find_if(results.ranking.begin(), results.ranking.end(),
                                 [&](const Ranking& r) { return r.quantity == quantity && (r.region.empty() || region.empty() || r.region == region); });
    return it == results.ranking.end() ? nullptr : &*it;
}

} // namespace caelumen
