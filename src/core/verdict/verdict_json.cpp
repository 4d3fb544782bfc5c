#include "core/base/json.h"
#include "core/model/results.h"
#include "core/verdict/verdict.h"

namespace caelumen {

Json verdictToJson(const Profile& profile, const Verdict& v) {
    const auto orNull = [](const std::optional<double>& x) { return x ? Json(*x) : Json(nullptr); };
    Json j{{"caelumen_verdict", 1}, {"program", programName()}, {"profile", profileToJson(profile)}};
    j["notice"] = Json::object();
    for (const Merit m : kMerits) j["notice"][meritName(m)] = meritNotice(m);
    j["ranking"] = Json::array();
    for (const RankedFilter& f : v.ranking) {
        Json o{{"filter", f.id},    {"name", f.name},          {"score", f.score},    {"sigma", f.sigma},
               {"p_best", f.pBest}, {"tied_with", f.tiedWith}, {"reasons", f.reasons}};
        o["steps"] = Json::object();
        for (const Merit m : kMerits)
            o["steps"][meritName(m)] = {{"step", f.steps[static_cast<std::size_t>(m)]}, {"sigma", f.stepSigmas[static_cast<std::size_t>(m)]}};
        o["figures"] = Json::array();
        for (const VerdictFigure& x : f.figures)
            o["figures"].push_back({{"merit", meritName(x.merit)},
                                    {"quantity", x.quantity},
                                    {"channel", x.channel.empty() ? Json(nullptr) : Json(x.channel)},
                                    {"sky", x.sky ? Json(*x.sky) : Json(nullptr)},
                                    {"kind", x.kind ? Json(targetKindName(*x.kind)) : Json(nullptr)},
                                    {"origin", x.origin},
                                    {"value", x.value},
                                    {"sigma", x.sigma},
                                    {"step", x.step},
                                    {"step_sigma", x.stepSigma},
                                    {"share", x.share}});
        j["ranking"].push_back(std::move(o));
    }
    j["value"] = Json::array();
    for (const FilterValue& x : v.value) {
        Json o{{"filter", x.id},
               {"price", orNull(x.price)},
               {"currency", x.currency.empty() ? Json(nullptr) : Json(x.currency)},
               {"hours_saved_per_year", x.hoursSaved},
               {"sigma", x.sigma},
               {"price_per_hour_saved", orNull(x.pricePerHour)}};
        if (!x.whyNoPrice.empty()) o["reason"] = x.whyNoPrice;
        j["value"].push_back(std::move(o));
    }
    j["sets"] = Json::array();
    for (const SetValue& x : v.sets)
        j["sets"].push_back({{"set", x.name},
                             {"members", x.members},
                             {"best_alone", x.bestAlone},
                             {"score", x.score},
                             {"sigma", x.sigma},
                             {"price", orNull(x.value.price)},
                             {"currency", x.value.currency.empty() ? Json(nullptr) : Json(x.value.currency)},
                             {"hours_saved_per_year", x.value.hoursSaved},
                             {"hours_sigma", x.value.sigma},
                             {"more_than_best_alone", x.moreHours},
                             {"more_sigma", x.moreHoursSigma}});
    j["sensitivity"] = Json::array();
    for (const WeightChange& c : v.sensitivity)
        j["sensitivity"].push_back({{"weight", meritName(c.merit)}, {"from", c.from}, {"to", c.to}, {"winner", c.winner}});
    j["sentences"] = v.sentences;
    j["not_tested"] = v.notTested;
    j["notes"] = v.notes;
    return j;
}

} // namespace caelumen
