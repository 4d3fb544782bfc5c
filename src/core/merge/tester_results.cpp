#include "core/merge/tester_results.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>
#include <tuple>

namespace caelumen {
namespace {

/// "h1#2" is the second ring around star h1.
std::string kindOf(const std::string& quantity, const std::string& region) {
    if (region.empty()) return {};
    const auto ring = region.find('#');
    const std::string rest = ring == std::string::npos ? "" : region.substr(ring);
    const Quantity* q = caelumen::quantity(quantity);
    if (q && q->group == "halo") return "halo_star" + rest;
    return q && q->group == "nebula" ? "nebula" : "sky";
}

/// Run and quantity that a finding voids.
std::set<std::pair<std::string, std::string>> voidedIn(const JsonFields& results) {
    std::set<std::pair<std::string, std::string>> out;
    for (const JsonFields& f : results.objects("fairness", 100'000))
        if (f.text("grade") == "voids" && !f.flag("normalised"))
            for (const std::string& quantity : f.texts("quantities")) out.emplace(f.text("run"), quantity);
    return out;
}

/// Their inverse-variance mean; where none counts, the first as it is.
TesterFigure together(const std::vector<TesterFigure>& all) {
    const bool logs = isAveragedInLogarithms(all.front().quantity), angle = isAngle(all.front().quantity);
    double sum = 0, weights = 0;
    for (const TesterFigure& f : all) {
        if (f.leftOut != LeftOut::No) continue;
        const double x = logs                   ? std::log(f.value)
                         : angle && weights > 0 ? turnedTowards(f.value, sum / weights)
                                                : f.value,
                     s = logs ? f.sigma / f.value : f.sigma;
        sum += x / (s * s), weights += 1 / (s * s);
    }
    TesterFigure out = all.front();
    if (weights <= 0) return out;
    const double mean = sum / weights, sigma = 1 / std::sqrt(weights);
    out.leftOut = LeftOut::No;
    out.value = logs ? std::exp(mean) : angle ? std::remainder(mean, 360) : mean;
    out.sigma = logs ? out.value * sigma : sigma;
    return out;
}

} // namespace

const char* leftOutReason(LeftOut why) {
    switch (why) {
    case LeftOut::No:
        return "";
    case LeftOut::Voided:
        return "a fairness finding voids it";
    case LeftOut::Limit:
        return "it is a limit";
    case LeftOut::NoError:
        return "it has no error";
    case LeftOut::NotPositive:
        return "a ratio that is not above zero has no logarithm";
    }
    return "";
}

bool isAveragedInLogarithms(const std::string& quantity) {
    static const std::set<std::string> ratios{q::timeRatio, q::backgroundRatio, q::throughput, q::starThroughput, q::softness};
    return ratios.count(quantity) > 0;
}

bool isAngle(const std::string& quantity) {
    const Quantity* known = caelumen::quantity(quantity);
    return known && known->unit == "deg";
}

double turnedTowards(double angle, double other) {
    return angle + 360 * std::round((other - angle) / 360);
}

namespace {

std::vector<TesterRun> runsIn(const JsonFields& r) {
    std::vector<TesterRun> out;
    std::map<std::string, std::string> filters;
    for (const JsonFields& m : r.objects("measurements", 1'000'000)) filters.emplace(m.text("run"), m.text("filter"));
    for (const auto& [id, filter] : filters) {
        TesterRun run;
        run.run = id, run.filter = filter;
        out.push_back(std::move(run));
    }
    const auto of = [&](const std::string& id) { return std::find_if(out.begin(), out.end(), [&](const TesterRun& run) { return run.run == id; }); };
    const std::optional<double> skyMag = r.object("site").number("sky_mag");
    for (TesterRun& run : out) run.skyMag = skyMag;
    for (const JsonFields& c : r.objects("conditions", 100'000)) {
        const auto run = of(c.text("run"));
        if (run == out.end()) continue;
        run->start = c.text("start");
        run->scale_arcsec = c.number("scale_arcsec"), run->total_s = c.number("total_s"), run->targetAltitude_deg = c.number("target_alt_deg");
        const JsonFields moon = c.object("moon"), facts = c.object("facts");
        run->moonIlluminated = moon.number("illuminated"), run->moonAltitude_deg = moon.number("alt_deg");
        const auto focal = facts.object("focal_length_mm").number("value"), aperture = facts.object("aperture_mm").number("value");
        if (focal && aperture && *aperture > 0) run->focalRatio = *focal / *aperture;
    }
    for (const JsonFields& f : r.objects("fairness", 100'000))
        if (const auto run = of(f.text("run")); run != out.end() && !f.flag("normalised") && f.text("grade") != "note") run->unfair.push_back(f.text("text"));
    return out;
}

double middleOf(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values.empty() ? 0 : 0.5 * (values[(values.size() - 1) / 2] + values[values.size() / 2]);
}

} // namespace

bool areTheSame(const TesterResults& a, const TesterResults& b) {
    std::map<std::tuple<std::string, std::string, std::string, std::string>, std::pair<double, double>> known;
    for (const TesterFigure& f : a.figures) known[{f.filter, f.channel, f.quantity, f.regionKind}] = {f.value, f.sigma};
    int common = 0, same = 0;
    for (const TesterFigure& f : b.figures)
        if (const auto it = known.find({f.filter, f.channel, f.quantity, f.regionKind}); it != known.end() && f.sigma > 0)
            ++common, same += it->second == std::pair(f.value, f.sigma);
    return common >= 5 && same == common;
}

std::vector<std::string> whyApart(const std::vector<TesterResults>& testers, std::size_t which, const std::string& filter) {
    std::vector<std::string> out;
    const auto runOf = [&](const TesterResults& t) -> const TesterRun* {
        const auto it = std::find_if(t.runs.begin(), t.runs.end(), [&](const TesterRun& r) { return r.filter == filter; });
        return it == t.runs.end() ? nullptr : &*it;
    };
    const TesterRun* mine = runOf(testers[which]);
    if (!mine) return out;
    for (const std::string& sentence : mine->unfair) out.push_back(sentence);
    // Conditions unlike the middle of the others.
    const auto others = [&](auto member) {
        std::vector<double> values;
        for (std::size_t i = 0; i < testers.size(); ++i)
            if (const TesterRun* r = i == which ? nullptr : runOf(testers[i]); r && r->*member) values.push_back(*(r->*member));
        return values;
    };
    const auto unlike = [&](auto member, double step, bool ratio, auto words) {
        const auto rest = others(member);
        if (rest.empty() || !(mine->*member)) return;
        const double v = *(mine->*member), m = middleOf(rest);
        if (ratio ? v > 0 && m > 0 && std::abs(std::log(v / m)) > std::log(step) : std::abs(v - m) > step) out.push_back(words(v, m));
    };
    const auto up = [](const TesterRun& r) {
        return r.moonIlluminated && r.moonAltitude_deg ? std::optional(*r.moonAltitude_deg > 0 ? *r.moonIlluminated : 0.0) : std::nullopt;
    };
    if (const auto moon = up(*mine)) {
        std::vector<double> rest;
        for (std::size_t i = 0; i < testers.size(); ++i)
            if (const TesterRun* r = i == which ? nullptr : runOf(testers[i]))
                if (const auto m = up(*r)) rest.push_back(*m);
        if (!rest.empty() && std::abs(*moon - middleOf(rest)) > 0.25)
            out.push_back(phrase("Its moon was {:.0f} % lit where the others had {:.0f} %.", 100 * *moon, 100 * middleOf(rest)));
    }
    unlike(&TesterRun::skyMag, 0.75, false, [](double v, double m) { return phrase("Its sky has {:.1f} mag/arcsec2, that of the others {:.1f}.", v, m); });
    unlike(&TesterRun::focalRatio, 1.25, true,
           [](double v, double m) { return phrase("Its telescope works at f/{:.1f}, the others' at f/{:.1f}: a narrow band shifts in a fast cone.", v, m); });
    unlike(&TesterRun::scale_arcsec, 1.4, true, [](double v, double m) { return phrase("Its pixels span {:.2f} arcsec, those of the others {:.2f}.", v, m); });
    unlike(&TesterRun::targetAltitude_deg, 20, false,
           [](double v, double m) { return phrase("Its target stood {:.0f} degrees high, that of the others {:.0f}.", v, m); });
    unlike(&TesterRun::total_s, 3, true, [](double v, double m) { return phrase("It exposed {:.1f} h, the others {:.1f} h.", v / 3600, m / 3600); });
    return out;
}

Result<TesterResults> testerResultsFromJson(const Json& json, const std::string& name) {
    return understood<TesterResults>(name, [&]() -> Result<TesterResults> {
        const JsonFields r(json, name, phrase("the file"));
        const bool shared = r.field("caelumen_share") != nullptr;
        r.needFormat(shared ? "caelumen_share" : "caelumen_results", "a results file");
        const auto voided = voidedIn(r);
        std::map<std::tuple<std::string, std::string, std::string, std::string>, std::vector<TesterFigure>> groups;
        std::vector<const std::vector<TesterFigure>*> order;
        int n = 0;
        for (const JsonFields& m : r.objects("measurements", 1'000'000)) {
            ++n;
            TesterFigure f;
            f.filter = m.needText("filter"), f.channel = m.text("channel"), f.quantity = m.needText("quantity");
            f.regionKind = kindOf(f.quantity, m.text("region"));
            const auto value = m.number("value");
            if (!value) r.fail(phrase("has a measurement ({}, {}) without a \"value\"", n, f.quantity));
            f.value = *value;
            f.sigma = m.number("sigma").value_or(0);
            const auto flags = m.texts("flags");
            if (voided.count({m.text("run"), f.quantity}))
                f.leftOut = LeftOut::Voided;
            else if (std::find(flags.begin(), flags.end(), flag::upperLimit) != flags.end())
                f.leftOut = LeftOut::Limit;
            else if (!(f.sigma > 0))
                f.leftOut = LeftOut::NoError;
            else if (isAveragedInLogarithms(f.quantity) && !(f.value > 0))
                f.leftOut = LeftOut::NotPositive;
            auto [at, fresh] = groups.try_emplace({f.filter, f.channel, f.quantity, f.regionKind});
            if (fresh) order.push_back(&at->second);
            at->second.push_back(std::move(f));
        }
        TesterResults out;
        out.source = name;
        const std::string tester = shared ? r.text("tester") : std::string();
        if (!tester.empty()) out.source = tester + " (" + name + ")";
        for (const JsonFields& f : r.objects("filters")) out.names[f.text("id")] = f.text("name");
        out.runs = runsIn(r);
        for (const auto* group : order) out.figures.push_back(together(*group));
        return out;
    });
}

} // namespace caelumen
