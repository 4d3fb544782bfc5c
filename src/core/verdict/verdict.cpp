#include "core/verdict/verdict.h"

#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/grid/grid_out.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

constexpr double kTimeNotice = 1.25, kMagNotice = 0.25, kHaloNotice = 0.002, kColourNotice = 0.1, kGradientNotice = 0.05;
constexpr double kSmallHalo = 0.005; ///< of a star's light
constexpr double kUntested = 1.5;    ///< steps
constexpr double kCertain = 1.96;
constexpr int kDraws = 20'000;

/// Mean by errors of what several runs of a filter say.
class Pool {
public:
    void add(double value, double sigma) {
        const double w = 1 / std::max(1e-18, sigma * sigma);
        m_sum += w * value, m_weight += w;
    }
    bool any() const { return m_weight > 0; }
    double value() const { return m_sum / m_weight; }
    double sigma() const { return 1 / std::sqrt(m_weight); }

private:
    double m_sum = 0, m_weight = 0;
};

bool isVoid(const TrialResults& r, const std::string& run, std::string_view quantity) {
    return std::any_of(r.fairness.begin(), r.fairness.end(), [&](const Unfairness& u) {
        return u.run == run && u.grade == Grade::Voids && !u.normalised && std::find(u.quantities.begin(), u.quantities.end(), quantity) != u.quantities.end();
    });
}

class Judge {
public:
    Judge(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model)
        : m_profile(profile)
        , m_trials(trials)
        , m_model(model) {
        for (const ProfileSky& s : profile.skies) m_skies.push_back(s.sky());
    }

    Verdict verdict() {
        for (const GridFilter& f : m_model.input().filters) m_out.ranking.push_back(rank(f));
        chances();
        std::stable_sort(m_out.ranking.begin(), m_out.ranking.end(), [](const RankedFilter& a, const RankedFilter& b) { return a.score > b.score; });
        sensitivity();
        for (const RankedFilter& f : m_out.ranking) m_out.value.push_back(valueOf(f.id));
        tell();
        return std::move(m_out);
    }

private:
    const Profile& m_profile;
    const std::vector<GridTrial>& m_trials;
    const GridModel& m_model;
    std::vector<GridSky> m_skies;
    Verdict m_out;

    double weight(Merit m) const { return m_profile.weights[static_cast<std::size_t>(m)]; }
    double weights() const {
        double sum = 0;
        for (const double w : m_profile.weights) sum += w;
        return sum;
    }
    bool isBaseline(const std::string& id) const { return id == m_model.input().baseline; }
    std::string nameOf(const std::string& id) const {
        const GridFilter* f = m_model.input().filter(id);
        return f ? f->name : id;
    }

    /// Time ratio and background under each sky, for each kind.
    void fromGrid(const GridFilter& f, RankedFilter& out) {
        const GridFilter* base = m_model.input().filter(m_model.input().baseline);
        for (std::size_t s = 0; s < m_skies.size(); ++s)
            for (const auto& [kind, kindShare] : m_profile.kinds) {
                GridQuestion q;
                q.kind = kind;
                VerdictFigure figure{Merit::Nebula, "time_ratio", {}, s, kind, {}, 0, 0, 0, 0, m_profile.skies[s].share * kindShare};
                const GridCell cell = gridCell(m_model, q, f, m_skies[s]);
                figure.channel = cell.channel, figure.origin = cellOriginName(cell.origin);
                if (cell.origin != CellOrigin::Empty) {
                    figure.value = cell.value, figure.sigma = cell.sigma;
                    figure.step = std::log(cell.value) / std::log(kTimeNotice), figure.stepSigma = cell.sigma / cell.value / std::log(kTimeNotice);
                } else if (cell.reason.find("passes") != std::string::npos) { // none of such light: no time is enough
                    constexpr double kNothing = 0.01;
                    figure.origin = "modelled", figure.value = kNothing, figure.step = std::log(kNothing) / std::log(kTimeNotice), figure.stepSigma = 2;
                } else {
                    figure.origin = "assumed", figure.value = 1, figure.stepSigma = kUntested;
                    untested(f.name + ": what it gathers of " + targetKindLabel(kind) + " under " + skyText(m_skies[s]) + " is not known (" + cell.reason +
                             ")");
                }
                out.figures.push_back(figure);

                VerdictFigure dark{Merit::Background, "background_mag", cell.channel, s, kind, {}, 0, 0, 0, 0, figure.share};
                GridQuestion b = q;
                b.quantity = GridQuantity::Background;
                const GridCell mine = gridCell(m_model, b, f, m_skies[s]), open = base ? gridCell(m_model, b, *base, m_skies[s]) : GridCell{};
                if (isBaseline(f.id)) {
                    dark.origin = cellOriginName(mine.origin);
                } else if (mine.origin != CellOrigin::Empty && open.background.count(mine.channel)) {
                    dark.channel = mine.channel, dark.origin = cellOriginName(mine.origin);
                    dark.value = 2.5 * std::log10(open.background.at(mine.channel) / mine.value);
                    dark.sigma = 2.5 / M_LN10 * mine.sigma / mine.value;
                    dark.step = dark.value / kMagNotice, dark.stepSigma = dark.sigma / kMagNotice;
                } else {
                    dark.origin = "assumed", dark.stepSigma = kUntested;
                }
                out.figures.push_back(dark);
            }
    }

    /// Figures of the trials that hold under any sky.
    void fromTrials(const GridFilter& f, RankedFilter& out) {
        Pool halo, colour, gradient;
        bool limit = false, voided = false;
        double least = 1e300;
        for (const GridTrial& t : m_trials) {
            for (const Run& run : t.trial.runs) {
                if (run.filter != f.id || run.id == t.results->baseline) continue;
                double rings = 0, ringVar = 0;
                bool seen = false;
                for (const Measurement& m : t.results->measurements) {
                    if (m.run != run.id) continue;
                    const bool gone = isVoid(*t.results, run.id, m.quantity);
                    if (m.quantity == "halo_flux_fraction") {
                        if (gone) {
                            voided = true;
                            continue;
                        }
                        if (!m.headline && m.region.find('#') == std::string::npos) continue; // one channel speaks for a star
                        if (m.flagged("upper-limit")) {
                            limit = true, least = std::min(least, m.value);
                        } else {
                            rings += m.value, ringVar += m.sigma * m.sigma, seen = true;
                        }
                    }
                    if (m.quantity == "colour_slope" && !gone && m.sigma > 0) colour.add(std::abs(1 - m.value), std::max(m.sigma, 0.01));
                    if (m.quantity == "gradient" && !gone && m.sigma > 0 && m.headline) {
                        const Measurement* base = t.results->find(t.results->baseline, "gradient", m.channel);
                        if (base) gradient.add(m.value - base->value, std::max(std::hypot(m.sigma, base->sigma), 1e-4));
                    }
                }
                if (seen) halo.add(rings, std::max(std::sqrt(ringVar), 1e-5));
            }
        }
        const auto put = [&](Merit merit, const char* quantity, const Pool& pool, double notice, const char* missing) {
            VerdictFigure v{merit, quantity, {}, {}, {}, "measured", 0, 0, 0, 0, 1};
            if (isBaseline(f.id)) {
                out.figures.push_back(v); // against itself
                return;
            }
            if (pool.any()) {
                v.value = pool.value(), v.sigma = pool.sigma();
                v.step = -v.value / notice, v.stepSigma = v.sigma / notice;
            } else {
                v.origin = "assumed", v.stepSigma = kUntested;
                untested(f.name + ": " + missing);
            }
            out.figures.push_back(v);
        };
        if (!halo.any() && limit) halo.add(0, std::max(least / 3, 1e-5)); // no halo as far as the star tells
        put(Merit::Halo, "halo_flux_fraction", halo, kHaloNotice,
            voided ? "its halos are void by what else differed" : "no star was bright enough, or none was marked: halos unknown");
        if (!m_profile.anyHaloIsAFault && halo.any() && halo.value() < kSmallHalo) {
            VerdictFigure& v = out.figures.back();
            v.step = 0;
        }
        put(Merit::StarColour, "colour_slope", colour, kColourNotice, "star colours were not measured");
        put(Merit::Gradient, "gradient", gradient, kGradientNotice, "the gradient was not measured");
    }

    void untested(std::string sentence) {
        if (std::find(m_out.notTested.begin(), m_out.notTested.end(), sentence) == m_out.notTested.end()) m_out.notTested.push_back(std::move(sentence));
    }

    RankedFilter rank(const GridFilter& f) {
        RankedFilter out{f.id, f.name, 0, 0, 0, {}, {}, {}, {}, {}};
        fromGrid(f, out);
        fromTrials(f, out);
        double variance = 0;
        std::vector<std::pair<double, std::string>> parts;
        for (const Merit m : kMerits) {
            const auto i = static_cast<std::size_t>(m);
            double sum = 0, share = 0, error = 0;
            for (const VerdictFigure& v : out.figures)
                if (v.merit == m) sum += v.share * v.step, error += v.share * v.stepSigma, share += v.share; // errors of one filter go together under all skies
            if (share > 0) out.steps[i] = sum / share, out.stepSigmas[i] = error / share;
            const double part = weight(m) / weights();
            out.score += part * out.steps[i];
            variance += std::pow(part * out.stepSigmas[i], 2);
            if (weight(m) > 0 && !isBaseline(f.id))
                parts.emplace_back(part * out.steps[i], fmt::format("{}: {:+.1f} +-{:.1f} steps ({}), weight {:g}", meritLabel(m), out.steps[i],
                                                                    out.stepSigmas[i], meritNotice(m), weight(m)));
        }
        out.sigma = std::sqrt(variance);
        std::stable_sort(parts.begin(), parts.end(), [](const auto& a, const auto& b) { return std::abs(a.first) > std::abs(b.first); });
        for (auto& [size, text] : parts) out.reasons.push_back(std::move(text));
        if (isBaseline(f.id)) out.reasons.push_back("what all others are compared with");
        return out;
    }

    /// How often each is best, drawn from the errors; and who cannot be told apart.
    void chances() {
        Random random(20'26);
        std::vector<int> wins(m_out.ranking.size(), 0);
        for (int k = 0; k < kDraws; ++k) {
            double best = -1e300;
            std::size_t winner = 0;
            for (std::size_t i = 0; i < m_out.ranking.size(); ++i) {
                const double drawn = m_out.ranking[i].score + m_out.ranking[i].sigma * random.normal();
                if (drawn > best) best = drawn, winner = i;
            }
            ++wins[winner];
        }
        for (std::size_t i = 0; i < m_out.ranking.size(); ++i) {
            RankedFilter& f = m_out.ranking[i];
            f.pBest = static_cast<double>(wins[i]) / kDraws;
            for (const RankedFilter& other : m_out.ranking)
                if (other.id != f.id && std::abs(other.score - f.score) < kCertain * std::hypot(other.sigma, f.sigma)) f.tiedWith.push_back(other.id);
        }
    }

    void sensitivity() {
        if (m_out.ranking.size() < 2) return;
        const RankedFilter& first = m_out.ranking.front();
        for (const Merit m : kMerits) {
            const auto i = static_cast<std::size_t>(m);
            const double now = weight(m);
            std::optional<WeightChange> nearest;
            for (const RankedFilter& other : m_out.ranking) {
                if (other.id == first.id) continue;
                // Scores share a denominator: they are even where sums of weighted steps are.
                double lead = 0;
                for (const Merit k : kMerits)
                    if (k != m) lead += weight(k) * (first.steps[static_cast<std::size_t>(k)] - other.steps[static_cast<std::size_t>(k)]);
                const double slope = first.steps[i] - other.steps[i];
                if (std::abs(slope) < 1e-9) continue;
                const double even = -lead / slope;
                constexpr double kMost = 100;
                if (even < 0 || even > kMost || (slope > 0) == (even > now)) continue; // on that side the first only gains
                if (!nearest || std::abs(even - now) < std::abs(nearest->to - now)) nearest = WeightChange{m, now, even, other.id};
            }
            if (nearest) m_out.sensitivity.push_back(*nearest);
        }
    }

    /// Share-weighted mean of f over skies and kinds of a filter's time ratio, with the error that goes together.
    FilterValue valueOf(const std::string& id) {
        FilterValue out;
        out.id = id;
        const std::string owned = m_profile.owned.empty() ? m_model.input().baseline : m_profile.owned;
        double sum = 0, error = 0;
        const auto& mine = ranked(id).figures;
        const auto& theirs = ranked(owned).figures;
        for (std::size_t k = 0; k < mine.size() && k < theirs.size(); ++k) {
            if (mine[k].merit != Merit::Nebula || !(mine[k].value > 0) || !(theirs[k].value > 0)) continue;
            const double ratio = theirs[k].value / mine[k].value;
            sum += mine[k].share * (1 - ratio);
            error += mine[k].share * ratio * std::log(kTimeNotice) * std::hypot(mine[k].stepSigma, theirs[k].stepSigma);
        }
        if (id != owned) out.hoursSaved = m_profile.clearHours * sum, out.sigma = m_profile.clearHours * error;
        const Filter* filter = nullptr;
        for (const GridTrial& t : m_trials)
            if (const Filter* f = t.trial.filter(id); f && (!filter || (!filter->price && f->price))) filter = f;
        if (!filter || !filter->price) {
            out.whyNoPrice = "no price is known";
        } else {
            const double each = (filter->price->amount + filter->price->shipping) / std::max(1, filter->set_size);
            const std::string& currency = filter->price->currency;
            const auto rate = m_profile.rates.find(currency);
            out.currency = m_profile.currency.empty() ? currency : m_profile.currency;
            if (currency == out.currency)
                out.price = each;
            else if (rate != m_profile.rates.end())
                out.price = each * rate->second;
            else
                out.whyNoPrice = fmt::format("there is no rate for {}", currency.empty() ? "a price without currency" : currency);
        }
        if (out.price && out.hoursSaved > 0 && id != owned) out.pricePerHour = *out.price / out.hoursSaved;
        out.beyondBudget = out.price && m_profile.budget && *out.price > *m_profile.budget;
        return out;
    }

    const RankedFilter& ranked(const std::string& id) const {
        return *std::find_if(m_out.ranking.begin(), m_out.ranking.end(), [&](const RankedFilter& f) { return f.id == id; });
    }

    void tell() {
        auto& say = m_out.sentences;
        const RankedFilter& first = m_out.ranking.front();
        std::vector<std::string> ties;
        for (const std::string& id : first.tiedWith) ties.push_back(nameOf(id));
        std::string skies;
        for (const GridSky& s : m_skies) skies += (skies.empty() ? "" : "; ") + skyText(s);
        if (isBaseline(first.id))
            say.push_back(fmt::format("For these skies ({}) and targets nothing here is better than {}{}.", skies, first.name,
                                      ties.empty() ? "" : fmt::format(", though {} cannot be told apart from it", fmt::join(ties, ", "))));
        else
            say.push_back(fmt::format("For these skies ({}) and targets {} comes first (score {:+.1f} +-{:.1f}, best in {:.0f} % of draws){}.", skies,
                                      first.name, first.score, first.sigma, 100 * first.pBest,
                                      ties.empty() ? "" : fmt::format("; it cannot be told apart from {}", fmt::join(ties, ", "))));
        for (const RankedFilter& f : m_out.ranking) {
            if (isBaseline(f.id)) continue;
            const RankedFilter& base = ranked(m_model.input().baseline);
            const bool surelyBetter = f.score - base.score > kCertain * std::hypot(f.sigma, base.sigma),
                       surelyWorse = base.score - f.score > kCertain * std::hypot(f.sigma, base.sigma);
            const FilterValue& v = *std::find_if(m_out.value.begin(), m_out.value.end(), [&](const FilterValue& x) { return x.id == f.id; });
            std::string text = fmt::format("{}: {}", f.name,
                                           surelyBetter  ? "worth having here"
                                           : surelyWorse ? fmt::format("not for this use; {} does better", base.name)
                                                         : fmt::format("not told apart from {}", base.name));
            const std::string owned = m_profile.owned.empty() ? m_model.input().baseline : m_profile.owned;
            if (m_profile.clearHours > 0 && f.id != owned) {
                if (v.hoursSaved > kCertain * v.sigma)
                    text += fmt::format("; against {} it saves {:.0f} +-{:.0f} of {:.0f} clear hours a year", nameOf(owned), v.hoursSaved, v.sigma,
                                        m_profile.clearHours);
                else if (v.hoursSaved < -kCertain * v.sigma)
                    text += fmt::format("; against {} it costs time: not worth it", nameOf(owned));
                else
                    text += fmt::format("; against {} it saves no time that can be told", nameOf(owned));
                if (v.pricePerHour && v.hoursSaved > kCertain * v.sigma)
                    text += fmt::format(", at {:.2f} {} for each hour of the first year", *v.pricePerHour, v.currency);
            }
            if (v.beyondBudget) text += fmt::format("; beyond the budget ({:.0f} {})", *v.price, v.currency);
            say.push_back(text + ".");
        }
        for (const WeightChange& c : m_out.sensitivity)
            say.push_back(
                fmt::format("With a weight of {:.2g} for \"{}\" in place of {:g}, {} would come first.", c.to, meritLabel(c.merit), c.from, nameOf(c.winner)));
        for (const GridTrial& t : m_trials)
            for (const Run& run : t.trial.runs) {
                std::set<std::string> gone;
                for (const Unfairness& u : t.results->fairness)
                    if (u.run == run.id && u.grade == Grade::Voids && !u.normalised) gone.insert(u.subject);
                if (!gone.empty())
                    m_out.notes.push_back(fmt::format("{}, run {}: figures that are void by {} do not count.", t.name, run.id, fmt::join(gone, ", ")));
            }
    }
};

} // namespace

Result<Verdict> judge(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model) {
    if (!profile.owned.empty() && !model.input().filter(profile.owned))
        return Error{fmt::format("The profile owns the filter \"{}\", which is none of the trials'; name one of theirs, or none.", profile.owned)};
    return Judge(profile, trials, model).verdict();
}

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
    j["sensitivity"] = Json::array();
    for (const WeightChange& c : v.sensitivity)
        j["sensitivity"].push_back({{"weight", meritName(c.merit)}, {"from", c.from}, {"to", c.to}, {"winner", c.winner}});
    j["sentences"] = v.sentences;
    j["not_tested"] = v.notTested;
    j["notes"] = v.notes;
    return j;
}

} // namespace caelumen
