#include "core/merge/tester_results.h"

#include "core/base/json_fields.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>
#include <map>
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
    const bool logs = isAveragedInLogarithms(all.front().quantity);
    double sum = 0, weights = 0;
    for (const TesterFigure& f : all) {
        if (f.leftOut != LeftOut::No) continue;
        const double x = logs ? std::log(f.value) : f.value, s = logs ? f.sigma / f.value : f.sigma;
        sum += x / (s * s), weights += 1 / (s * s);
    }
    TesterFigure out = all.front();
    if (weights <= 0) return out;
    const double mean = sum / weights, sigma = 1 / std::sqrt(weights);
    out.leftOut = LeftOut::No;
    out.value = logs ? std::exp(mean) : mean;
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
    static const std::set<std::string> ratios{"time_ratio", "background_ratio", "throughput", "star_throughput", "softness"};
    return ratios.count(quantity) > 0;
}

Result<TesterResults> testerResultsFromJson(const Json& json, const std::string& name) {
    return understood<TesterResults>(name, [&]() -> Result<TesterResults> {
        const JsonFields r(json, name, "the file");
        r.needFormat("caelumen_results", "a results file");
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
            if (!value) r.fail(fmt::format("has a measurement ({}, {}) without a \"value\"", n, f.quantity));
            f.value = *value;
            f.sigma = m.number("sigma").value_or(0);
            const auto flags = m.texts("flags");
            if (voided.count({m.text("run"), f.quantity}))
                f.leftOut = LeftOut::Voided;
            else if (std::find(flags.begin(), flags.end(), "upper-limit") != flags.end())
                f.leftOut = LeftOut::Limit;
            else if (!(f.sigma > 0))
                f.leftOut = LeftOut::NoError;
            else if (isAveragedInLogarithms(f.quantity) && !(f.value > 0))
                f.leftOut = LeftOut::NotPositive;
            auto [at, fresh] = groups.try_emplace({f.filter, f.channel, f.quantity, f.regionKind});
            if (fresh) order.push_back(&at->second);
            at->second.push_back(std::move(f));
        }
        TesterResults out{name, {}};
        for (const auto* group : order) out.figures.push_back(together(*group));
        return out;
    });
}

} // namespace caelumen
