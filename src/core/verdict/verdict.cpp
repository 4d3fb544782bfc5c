#include "core/verdict/verdict.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/grid/grid_out.h"
#include "core/model/quantity.h"
#include "core/verdict/notice.h"
#include "core/verdict/run_merits.h"
#include "core/verdict/verdict_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

constexpr double kSmallHalo = 0.005; ///< of a star's light
constexpr double kUntested = 1.5;    ///< steps
constexpr int kDraws = 20'000;

bool passesNone(const VerdictFigure& f) {
    return f.merit == Merit::Nebula && f.value <= kNoLight;
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
        for (const RankedFilter& f : m_out.ranking) m_out.value.push_back(valueOf(f));
        sets();
        tellVerdict(m_profile, m_trials, m_model, m_out);
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
        for (std::size_t s = 0; s < m_skies.size(); ++s)
            for (const auto& [kind, kindShare] : m_profile.kinds) {
                GridQuestion q;
                q.kind = kind;
                VerdictFigure figure{Merit::Nebula, q::timeRatio, {}, s, kind, {}, 0, 0, 0, 0, m_profile.skies[s].share * kindShare};
                const GridCell cell = gridCell(m_model, q, f, m_skies[s]);
                figure.channel = cell.channel, figure.origin = cellOriginName(cell.origin);
                if (cell.origin != CellOrigin::Empty) {
                    figure.value = cell.value, figure.sigma = cell.sigma;
                    figure.step = std::log(cell.value) / std::log(kTimeNotice), figure.stepSigma = cell.sigma / cell.value / std::log(kTimeNotice);
                } else if (cell.reason.find("passes") != std::string::npos) { // none of such light: no time is enough
                    figure.origin = "modelled", figure.value = kNoLight, figure.step = std::log(kNoLight) / std::log(kTimeNotice), figure.stepSigma = 2;
                } else {
                    figure.origin = "assumed", figure.value = 1, figure.stepSigma = kUntested;
                    untested(f.name + phrase(": what it gathers of ") + targetKindLabel(kind) + " under " + skyText(m_skies[s]) + phrase(" is not known (") +
                             cell.reason + ")");
                }
                out.figures.push_back(figure);

                VerdictFigure dark{Merit::Background, q::backgroundMag, cell.channel, s, kind, {}, 0, 0, 0, 0, figure.share};
                const auto darker = darkerThanBaseline(m_model, f, m_skies[s], kind);
                if (darker) dark.channel = darker->cell.channel, dark.origin = cellOriginName(darker->cell.origin);
                if (!darker) {
                    dark.origin = "assumed", dark.stepSigma = isBaseline(f.id) ? 0 : kUntested;
                } else if (!isBaseline(f.id)) {
                    dark.value = darker->mag, dark.sigma = darker->sigma;
                    dark.step = dark.value / kMagNotice, dark.stepSigma = dark.sigma / kMagNotice;
                }
                out.figures.push_back(dark);
            }
    }

    /// Figures of the trials that hold under any sky.
    void fromTrials(const GridFilter& f, RankedFilter& out) {
        ErrorMean halo, colour, gradient;
        bool limit = false, voided = false;
        double least = 1e300;
        for (const GridTrial& t : m_trials)
            for (const Run& run : t.trial.runs) {
                if (run.filter != f.id || run.id == t.results->baseline) continue;
                const RunMerits m = runMerits(t, run.id);
                voided |= m.haloVoid;
                if (m.halo && m.halo->limit)
                    limit = true, least = std::min(least, m.halo->value);
                else if (m.halo)
                    halo.add(m.halo->value, m.halo->sigma);
                if (m.colour) colour.add(m.colour->value, m.colour->sigma);
                if (m.gradient) gradient.add(m.gradient->value, m.gradient->sigma);
            }
        const auto put = [&](Merit merit, const char* quantity, const ErrorMean& pool, double notice, const std::string& missing) {
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
        put(Merit::Halo, q::haloFluxFraction, halo, kHaloNotice,
            voided ? phrase("its halos are void by what else differed") : phrase("no star was bright enough, or none was marked: halos unknown"));
        if (!m_profile.anyHaloIsAFault && halo.any() && halo.value() < kSmallHalo) {
            VerdictFigure& v = out.figures.back();
            v.step = 0;
        }
        put(Merit::StarColour, q::colourSlope, colour, kColourNotice, phrase("star colours were not measured"));
        put(Merit::Gradient, "gradient", gradient, kGradientNotice, phrase("the gradient was not measured"));
    }

    void untested(std::string sentence) {
        if (std::find(m_out.notTested.begin(), m_out.notTested.end(), sentence) == m_out.notTested.end()) m_out.notTested.push_back(std::move(sentence));
    }

    RankedFilter rank(const GridFilter& f) {
        RankedFilter out{f.id, f.name, 0, 0, 0, {}, {}, {}, {}, {}};
        fromGrid(f, out);
        fromTrials(f, out);
        score(out);
        std::vector<std::pair<double, std::string>> parts;
        for (const Merit m : kMerits) {
            const auto i = static_cast<std::size_t>(m);
            if (weight(m) > 0 && !isBaseline(f.id))
                parts.emplace_back(weight(m) / weights() * out.steps[i], phrase("{}: {:+.1f} \u00B1{:.1f} steps ({}), weight {:g}", meritLabel(m), out.steps[i],
                                                                                out.stepSigmas[i], meritNotice(m), weight(m)));
        }
        std::stable_sort(parts.begin(), parts.end(), [](const auto& a, const auto& b) { return std::abs(a.first) > std::abs(b.first); });
        for (auto& [size, text] : parts) out.reasons.push_back(std::move(text));
        if (isBaseline(f.id)) out.reasons.push_back(phrase("what all others are compared with"));
        return out;
    }

    /// Means by merit, then by weights.
    void score(RankedFilter& out) const {
        double variance = 0;
        for (const Merit m : kMerits) {
            const auto i = static_cast<std::size_t>(m);
            double sum = 0, share = 0, error = 0;
            for (const VerdictFigure& v : out.figures)
                if (v.merit == m) sum += v.share * v.step, error += v.share * v.stepSigma, share += v.share; // errors of one filter go together under all skies
            if (share > 0) out.steps[i] = sum / share, out.stepSigmas[i] = error / share;
            const double part = weight(m) / weights();
            out.score += part * out.steps[i];
            variance += std::pow(part * out.stepSigmas[i], 2);
        }
        out.sigma = std::sqrt(variance);
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

    std::string ownedOrBaseline() const { return m_profile.owned.empty() ? m_model.input().baseline : m_profile.owned; }

    /// The first price that any trial knows of a filter, of one of its set or of all.
    void priceOf(const std::string& id, bool wholeSet, FilterValue& out) const {
        const Filter* filter = nullptr;
        for (const GridTrial& t : m_trials)
            if (const Filter* f = t.trial.filter(id); f && (!filter || (!filter->price && f->price))) filter = f;
        if (!filter || !filter->price) {
            out.whyNoPrice = phrase("no price is known");
            return;
        }
        const double amount = (filter->price->amount + filter->price->shipping) / (wholeSet ? 1 : std::max(1, filter->set_size));
        const std::string& currency = filter->price->currency;
        const auto rate = m_profile.rates.find(currency);
        out.currency = m_profile.currency.empty() ? currency : m_profile.currency;
        if (currency == out.currency)
            out.price = amount;
        else if (rate != m_profile.rates.end())
            out.price = amount * rate->second;
        else
            out.whyNoPrice = phrase("there is no rate for {}", currency.empty() ? phrase("a price without currency") : currency);
        out.beyondBudget = out.price && m_profile.budget && *out.price > *m_profile.budget;
    }

    /// Share-weighted mean of 1 - r_owned / r over skies and kinds, with the error that goes together.
    void hoursOf(const std::vector<VerdictFigure>& mine, FilterValue& out) const {
        double sum = 0, error = 0;
        const auto& theirs = ranked(ownedOrBaseline()).figures;
        for (std::size_t k = 0; k < mine.size() && k < theirs.size(); ++k) {
            if (mine[k].merit != Merit::Nebula || !(mine[k].value > 0) || !(theirs[k].value > 0)) continue;
            if (passesNone(mine[k]) || passesNone(theirs[k])) { // nobody leaves it in for such light: no hours are won or lost there
                out.takenOut += mine[k].share;
                continue;
            }
            const double ratio = theirs[k].value / mine[k].value;
            sum += mine[k].share * (1 - ratio);
            error += mine[k].share * ratio * std::log(kTimeNotice) * std::hypot(mine[k].stepSigma, theirs[k].stepSigma);
        }
        out.hoursSaved = m_profile.clearHours * sum, out.sigma = m_profile.clearHours * error;
        if (out.price && out.hoursSaved > 0) out.pricePerHour = *out.price / out.hoursSaved;
    }

    FilterValue valueOf(const RankedFilter& f) const {
        FilterValue out;
        out.id = f.id;
        priceOf(f.id, false, out);
        if (f.id != ownedOrBaseline()) hoursOf(f.figures, out);
        return out;
    }

    /// Filters that are bought together: for every sky and target the member is put in that gathers most, and what halos, colours and gradients they have is
    /// shared as they are used.
    void sets() {
        std::map<std::string, std::vector<const RankedFilter*>> all;
        for (const RankedFilter& f : m_out.ranking)
            for (const GridTrial& t : m_trials)
                if (const Filter* known = t.trial.filter(f.id); known && !known->set.empty()) {
                    all[known->set].push_back(&f);
                    break;
                }
        for (const auto& [name, members] : all)
            if (members.size() > 1) m_out.sets.push_back(setOf(name, members));
    }

    SetValue setOf(const std::string& name, const std::vector<const RankedFilter*>& members) const {
        SetValue out;
        out.name = name;
        const RankedFilter* alone = members.front();
        for (const RankedFilter* f : members) {
            out.members.push_back(f->id);
            if (f->score > alone->score) alone = f;
        }
        out.bestAlone = alone->id;
        std::vector<VerdictFigure> used;
        for (std::size_t k = 0; k < alone->figures.size(); ++k) {
            const VerdictFigure& own = alone->figures[k];
            if (own.merit == Merit::Nebula) {
                const RankedFilter* best = members.front();
                for (const RankedFilter* f : members)
                    if (f->figures[k].step > best->figures[k].step) best = f;
                used.push_back(best->figures[k]);
                if (k + 1 < best->figures.size() && best->figures[k + 1].merit == Merit::Background) used.push_back(best->figures[k + 1]);
            } else if (own.merit != Merit::Background) {
                VerdictFigure mean = own;
                mean.step = mean.stepSigma = 0;
                for (const RankedFilter* f : members)
                    mean.step += f->figures[k].step / static_cast<double>(members.size()),
                        mean.stepSigma += f->figures[k].stepSigma / static_cast<double>(members.size());
                used.push_back(mean);
            }
        }
        RankedFilter whole{{}, name, 0, 0, 0, {}, {}, {}, {}, used};
        score(whole);
        out.score = whole.score, out.sigma = whole.sigma;
        out.value.id = name;
        priceOf(members.front()->id, true, out.value);
        hoursOf(used, out.value);
        FilterValue single;
        priceOf(alone->id, false, single);
        if (alone->id != ownedOrBaseline()) hoursOf(alone->figures, single);
        out.moreHours = out.value.hoursSaved - single.hoursSaved;
        out.moreHoursSigma = std::hypot(out.value.sigma, single.sigma);
        return out;
    }

    const RankedFilter& ranked(const std::string& id) const {
        return *std::find_if(m_out.ranking.begin(), m_out.ranking.end(), [&](const RankedFilter& f) { return f.id == id; });
    }
};

} // namespace

bool FilterValue::saves() const {
    return hoursSaved > kCertain * sigma && hoursSaved > 0;
}

Result<Verdict> judge(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model) {
    if (!profile.owned.empty() && !model.input().filter(profile.owned))
        return Error{phrase("The profile owns the filter \"{}\", which is none of the trials'; name one of theirs, or none.", profile.owned)};
    return Judge(profile, trials, model).verdict();
}

} // namespace caelumen
