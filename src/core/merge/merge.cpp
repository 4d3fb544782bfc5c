#include "core/merge/merge.h"

#include "core/base/json.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

namespace caelumen {
namespace {

struct Effect {
    double x = 0, variance = 1;
};

struct Pooled {
    double mean = 0, variance = 0, between = 0, q = 0; ///< between: a variance
};

Pooled pooled(const std::vector<Effect>& effects) {
    double w = 0, ww = 0, wx = 0;
    for (const Effect& e : effects) w += 1 / e.variance, ww += 1 / (e.variance * e.variance), wx += e.x / e.variance;
    Pooled out;
    const double fixed = wx / w;
    for (const Effect& e : effects) out.q += (e.x - fixed) * (e.x - fixed) / e.variance;
    const double freedom = static_cast<double>(effects.size()) - 1, scale = w - ww / w;
    if (freedom > 0 && scale > 0) out.between = std::max(0.0, (out.q - freedom) / scale);
    double weights = 0, sum = 0;
    for (const Effect& e : effects) weights += 1 / (e.variance + out.between), sum += e.x / (e.variance + out.between);
    out.mean = sum / weights;
    out.variance = 1 / weights;
    return out;
}

std::size_t placeOf(const std::string& id) {
    const auto all = quantities();
    return static_cast<std::size_t>(std::find_if(all.begin(), all.end(), [&](const Quantity& q) { return q.id == id; }) - all.begin());
}

void pool(MergedFigure& figure) {
    const bool logs = isAveragedInLogarithms(figure.quantity);
    const bool angle = isAngle(figure.quantity);
    std::vector<Effect> effects;
    std::vector<MergeShare*> counted;
    for (MergeShare& share : figure.each) {
        if (share.leftOut != LeftOut::No) continue;
        Effect e{logs ? std::log(share.value) : share.value, std::pow(logs ? share.sigma / share.value : share.sigma, 2)};
        if (angle && !effects.empty()) e.x = turnedTowards(e.x, effects.front().x);
        effects.push_back(e);
        counted.push_back(&share);
    }
    figure.testers = static_cast<int>(effects.size());
    if (effects.empty()) return;
    const Pooled all = pooled(effects);
    figure.value = logs ? std::exp(all.mean) : all.mean;
    if (angle) figure.value = std::remainder(figure.value, 360);
    figure.sigma = (logs ? figure.value : 1) * std::sqrt(all.variance);
    figure.betweenSigma = std::sqrt(all.between);
    figure.q = all.q;
    for (std::size_t i = 0; i < effects.size(); ++i) {
        counted[i]->weight = 1 / (effects[i].variance + all.between);
        if (effects.size() < 3) continue;
        std::vector<Effect> others = effects;
        others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
        const Pooled rest = pooled(others);
        counted[i]->apart = (effects[i].x - rest.mean) / std::sqrt(effects[i].variance + rest.between + rest.variance);
    }
}

Json orNull(const std::string& text) {
    return text.empty() ? Json(nullptr) : Json(text);
}

} // namespace

bool differBeyondErrors(const MergedFigure& f) {
    if (f.testers < 2) return false;
    constexpr double kCertain = 1.645; // 95 %, one-sided
    const double freedom = f.testers - 1, part = 2 / (9 * freedom);
    return f.q > freedom * std::pow(1 - part + kCertain * std::sqrt(part), 3);
}

bool standsOut(const MergedFigure& f, const MergeShare& share) {
    if (share.leftOut != LeftOut::No || f.testers < 3) return false;
    // The normal quantile of 5 % shared by all testers on both sides (Abramowitz & Stegun 1964, 26.2.23).
    const double t = std::sqrt(-2 * std::log(0.025 / f.testers));
    const double limit = t - (2.515517 + 0.802853 * t + 0.010328 * t * t) / (1 + 1.432788 * t + 0.189269 * t * t + 0.001308 * t * t * t);
    return std::abs(share.apart) > limit;
}

std::vector<MergedFigure> mergeResults(const std::vector<TesterResults>& testers) {
    std::map<std::tuple<std::string, std::size_t, std::string, std::string, std::string>, MergedFigure> all;
    for (const TesterResults& t : testers)
        for (const TesterFigure& f : t.figures) {
            MergedFigure& to = all[{f.filter, placeOf(f.quantity), f.quantity, f.channel, f.regionKind}];
            to.filter = f.filter, to.channel = f.channel, to.quantity = f.quantity, to.regionKind = f.regionKind;
            to.each.push_back({t.source, f.value, f.sigma, 0, f.leftOut, 0});
        }
    std::vector<MergedFigure> out;
    for (auto& [key, figure] : all) {
        pool(figure);
        out.push_back(std::move(figure));
    }
    return out;
}

Json mergedToJson(const std::vector<MergedFigure>& figures) {
    Json list = Json::array();
    for (const MergedFigure& f : figures) {
        const bool any = f.testers > 0;
        const auto number = [&](double v) { return any ? Json(v) : Json(nullptr); };
        const Quantity* known = quantity(f.quantity);
        Json j{{"filter", f.filter},
               {"channel", orNull(f.channel)},
               {"quantity", f.quantity},
               {"region_kind", orNull(f.regionKind)},
               {"unit", known ? Json(std::string(known->unit)) : Json(nullptr)},
               {"value", number(f.value)},
               {"sigma", number(f.sigma)},
               {"between_sigma", number(f.betweenSigma)},
               {"q", number(f.q)},
               {"testers", f.testers},
               {"each", Json::array()}};
        for (const MergeShare& s : f.each) {
            Json e{{"source", s.source}, {"value", s.value}, {"sigma", s.sigma}, {"weight", s.weight}, {"voided", s.leftOut == LeftOut::Voided}};
            if (s.leftOut != LeftOut::No)
                e["left_out"] = leftOutReason(s.leftOut);
            else if (f.testers > 2)
                e["apart"] = s.apart;
            j["each"].push_back(std::move(e));
        }
        list.push_back(std::move(j));
    }
    return {{"caelumen_merged", 1}, {"figures", list}};
}

} // namespace caelumen
