#include "core/model/results_read.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"

#include <algorithm>

namespace caelumen {
namespace {

constexpr std::size_t kMost = 1'000'000;

Grade gradeOf(const JsonFields& f) {
    return f.oneOf("grade", Grade::Note, {{"note", Grade::Note}, {"weakens", Grade::Weakens}, {"voids", Grade::Voids}});
}

RunConditions conditionsFrom(const JsonFields& c) {
    RunConditions out;
    out.run = c.needText("run");
    out.sub_exposure_s = c.positive("sub_exposure_s");
    out.sub_count = c.whole("sub_count", 0, 1'000'000);
    out.total_s = c.positive("total_s");
    out.start = c.text("start");
    out.scale_arcsec = c.positive("scale_arcsec");
    out.conflicts = c.texts("conflicts");
    if (c.field("moon")) {
        const JsonFields moon = c.object("moon");
        out.sky.emplace();
        out.sky->moon.alt_deg = moon.numberOr("alt_deg", 0, -90, 90);
        out.sky->moonIlluminated = moon.numberOr("illuminated", 0, 0, 1);
        out.sky->moonSeparation_deg = moon.number("separation_deg", 0, 180);
        if (const auto height = c.number("target_alt_deg", -90, 90)) out.sky->target = Horizontal{*height, 0};
    }
    return out;
}

ReadResults resultsFrom(const JsonFields& r) {
    r.needFormat("caelumen_results", "a results file");
    ReadResults out;
    TrialResults& results = out.results;
    results.trial = out.trial.title = r.text("trial");
    results.baseline = r.text("baseline");
    const auto runOf = [&](const std::string& id) -> Run& {
        const auto known = std::find_if(out.trial.runs.begin(), out.trial.runs.end(), [&](const Run& x) { return x.id == id; });
        if (known != out.trial.runs.end()) return *known;
        Run run;
        run.id = id, run.baseline = id == results.baseline;
        return out.trial.runs.emplace_back(std::move(run));
    };
    for (const JsonFields& c : r.objects("conditions", kMost)) {
        results.conditions.push_back(conditionsFrom(c));
        runOf(results.conditions.back().run);
    }
    for (const JsonFields& m : r.objects("measurements", kMost)) {
        Measurement x;
        x.run = m.needText("run"), x.filter = m.needText("filter"), x.channel = m.text("channel"), x.quantity = m.needText("quantity"),
        x.region = m.text("region");
        const auto value = m.number("value");
        if (!value) m.fail(phrase("has a measurement without a \"value\""));
        x.value = *value, x.sigma = m.number("sigma").value_or(0);
        x.flags = m.texts("flags"), x.headline = m.flag("headline"), x.note = m.text("note");
        runOf(x.run).filter = x.filter;
        results.measurements.push_back(std::move(x));
    }
    for (const JsonFields& a : r.objects("absent", kMost))
        results.absent.push_back({a.text("run"), a.text("channel"), a.text("quantity"), a.text("region"), a.text("reason")});
    for (const JsonFields& f : r.objects("fairness", kMost))
        results.fairness.push_back({f.text("run"), f.text("subject"), gradeOf(f), f.texts("quantities"), f.text("text"), f.flag("normalised")});
    for (const JsonFields& k : r.objects("ranking", kMost)) {
        Ranking ranking;
        ranking.quantity = k.text("quantity"), ranking.region = k.text("region");
        for (const JsonFields& o : k.objects("order", kMost))
            ranking.runs.push_back({o.needText("run"), o.number("value").value_or(0), o.number("sigma").value_or(0), o.wholeOr("rank", 1, 1, 1'000'000)});
        for (const JsonFields& p : k.objects("pairs", kMost))
            ranking.pairs.push_back({p.text("better"), p.text("worse"), p.flag("separated"), p.whole("more_subs", 0, 1'000'000'000)});
        results.ranking.push_back(std::move(ranking));
    }
    for (const JsonFields& a : r.objects("alignment", kMost)) {
        RunAlignment x;
        x.run = a.text("run");
        x.alignment = {a.number("dx").value_or(0), a.number("dy").value_or(0),     a.number("rotation_deg").value_or(0),     a.number("scale").value_or(1),
                       a.flag("mirrored"),         a.number("rms_px").value_or(0), a.wholeOr("matched", 0, 0, 1'000'000'000)};
        results.alignment.push_back(std::move(x));
    }
    results.warnings = r.texts("warnings");
    for (const Run& run : out.trial.runs) {
        if (run.filter.empty() || out.trial.filter(run.filter)) continue;
        Filter f;
        f.id = f.name = run.filter, f.kind = run.baseline ? "none" : "other";
        out.trial.filters.push_back(std::move(f));
    }
    if (out.trial.runs.empty()) r.fail(phrase("holds no run"));
    return out;
}

} // namespace

Result<ReadResults> resultsFromJson(const Json& json, const std::string& name) {
    return understood<ReadResults>(name, [&] { return Result<ReadResults>(resultsFrom(JsonFields(json, name, phrase("the file")))); });
}

} // namespace caelumen
