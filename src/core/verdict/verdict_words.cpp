#include "core/verdict/verdict_words.h"

#include "core/base/phrase.h"
#include "core/grid/grid_out.h"
#include "core/verdict/notice.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

class Teller {
public:
    Teller(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model, Verdict& out)
        : m_profile(profile)
        , m_trials(trials)
        , m_model(model)
        , m_out(out)
        , m_owned(profile.owned.empty() ? model.input().baseline : profile.owned) {}

    void tell() {
        tellFirst();
        for (const RankedFilter& f : m_out.ranking)
            if (!isBaseline(f.id)) tellFilter(f);
        for (const SetValue& set : m_out.sets) tellSet(set);
        for (const WeightChange& c : m_out.sensitivity)
            say(phrase("With a weight of {:.2g} for \"{}\" in place of {:g}, {} would come first.", c.to, meritLabel(c.merit), c.from, nameOf(c.winner)));
        noteVoid();
    }

private:
    const Profile& m_profile;
    const std::vector<GridTrial>& m_trials;
    const GridModel& m_model;
    Verdict& m_out;
    std::string m_owned;

    void say(std::string sentence) { m_out.sentences.push_back(std::move(sentence)); }
    bool isBaseline(const std::string& id) const { return id == m_model.input().baseline; }
    std::string nameOf(const std::string& id) const {
        const GridFilter* f = m_model.input().filter(id);
        return f ? f->name : id;
    }
    const RankedFilter& ranked(const std::string& id) const {
        return *std::find_if(m_out.ranking.begin(), m_out.ranking.end(), [&](const RankedFilter& f) { return f.id == id; });
    }

    void tellFirst() {
        const RankedFilter& first = m_out.ranking.front();
        std::vector<std::string> ties;
        for (const std::string& id : first.tiedWith) ties.push_back(nameOf(id));
        std::string skies;
        for (const ProfileSky& s : m_profile.skies) skies += (skies.empty() ? "" : "; ") + skyText(s.sky());
        const std::string where = phrase("For these skies ({}) and targets, at f/{:.1f},", skies, m_model.input().rig.fRatio());
        if (isBaseline(first.id))
            say(phrase("{} nothing here is better than {}{}.", where, first.name,
                       ties.empty() ? "" : phrase(", though {} cannot be told apart from it", fmt::join(ties, ", "))));
        else
            say(phrase("{} {} comes first (score {:+.1f} \u00B1{:.1f}, best in {:.0f} % of draws){}.", where, first.name, first.score, first.sigma,
                       100 * first.pBest, ties.empty() ? "" : phrase("; it cannot be told apart from {}", fmt::join(ties, ", "))));
    }

    /// For which kinds of light it is surely quicker than the baseline under the profile's skies, and for which slower.
    std::string lightOf(const RankedFilter& f) const {
        std::vector<std::string> quicker, slower;
        for (const auto& [kind, kindShare] : m_profile.kinds) {
            double sum = 0, error = 0, share = 0;
            bool none = false, known = true;
            for (const VerdictFigure& x : f.figures) {
                if (x.merit != Merit::Nebula || x.kind != kind || x.share <= 0) continue;
                none |= x.value <= kNoLight;
                known &= x.origin != "assumed";
                sum += x.share * x.step, error += x.share * x.stepSigma, share += x.share;
            }
            if (share <= 0 || !known) continue;
            if (none) {
                slower.push_back(phrase("{} (it passes none of their light)", targetKindLabel(kind)));
                continue;
            }
            const double steps = sum / share, sigma = error / share;
            if (std::abs(steps) < kCertain * sigma) continue;
            const double ratio = std::pow(kTimeNotice, steps), off = ratio * sigma * std::log(kTimeNotice);
            (steps > 0 ? quicker : slower)
                .push_back(phrase("{} ({} \u00B1{} times as fast)", targetKindLabel(kind), shortNumber(ratio, off), shortNumber(off, off)));
        }
        std::string out;
        if (!quicker.empty()) out += phrase("; for {}", fmt::join(quicker, ", "));
        if (!slower.empty()) out += phrase("; not for {}", fmt::join(slower, ", "));
        return out;
    }
    static std::string shortNumber(double value, double error) { return fmt::format("{:.{}f}", value, error >= 1 ? 0 : error >= 0.1 ? 1 : 2); }

    std::string hoursOf(const FilterValue& v) const {
        if (m_profile.clearHours <= 0 || v.id == m_owned) return {};
        std::string text;
        if (v.saves())
            text =
                phrase("; against {} it saves {:.0f} \u00B1{:.0f} of {:.0f} clear hours a year", nameOf(m_owned), v.hoursSaved, v.sigma, m_profile.clearHours);
        else if (v.hoursSaved < -kCertain * v.sigma)
            text = phrase("; against {} it costs time: not worth it", nameOf(m_owned));
        else
            text = phrase("; against {} it saves no time that can be told", nameOf(m_owned));
        if (v.pricePerHour && v.saves()) text += phrase(", at {:.2f} {} for each hour of the first year", *v.pricePerHour, v.currency);
        if (v.takenOut > 0.005)
            text += phrase("; for {:.0f} % of the time, whose light it or what is owned does not pass, no hours are counted", 100 * v.takenOut);
        return text;
    }

    void tellFilter(const RankedFilter& f) {
        const RankedFilter& base = ranked(m_model.input().baseline);
        const double ahead = f.score - base.score, error = kCertain * std::hypot(f.sigma, base.sigma);
        const FilterValue& v = *std::find_if(m_out.value.begin(), m_out.value.end(), [&](const FilterValue& x) { return x.id == f.id; });
        std::string text = fmt::format("{}: {}", f.name,
                                       ahead > error    ? phrase("worth having here")
                                       : ahead < -error ? phrase("not for this use; {} does better", base.name)
                                                        : phrase("not told apart from {}", base.name));
        text += lightOf(f) + hoursOf(v);
        if (v.beyondBudget) text += phrase("; beyond the budget ({:.0f} {})", *v.price, v.currency);
        say(text + ".");
    }

    void tellSet(const SetValue& set) {
        std::vector<std::string> names;
        for (const std::string& id : set.members) names.push_back(nameOf(id));
        std::string text = phrase("The set \"{}\" ({}): ", set.name, fmt::join(names, ", "));
        if (m_profile.clearHours <= 0)
            text += phrase("score {:+.1f} \u00B1{:.1f}", set.score, set.sigma);
        else if (set.moreHours > kCertain * set.moreHoursSigma)
            text += phrase("saves {:.0f} \u00B1{:.0f} hours a year more than {} alone", set.moreHours, set.moreHoursSigma, nameOf(set.bestAlone));
        else
            text += phrase("saves no hours that can be told beyond {} alone", nameOf(set.bestAlone));
        if (set.value.price) text += phrase(", for {:.2f} {}", *set.value.price, set.value.currency);
        say(text + ".");
    }

    void noteVoid() {
        for (const GridTrial& t : m_trials)
            for (const Run& run : t.trial.runs) {
                std::set<std::string> gone;
                for (const Unfairness& u : t.results->fairness)
                    if (u.run == run.id && u.grade == Grade::Voids && !u.normalised) gone.insert(u.subject);
                if (!gone.empty())
                    m_out.notes.push_back(phrase("{}, run {}: figures that are void by {} do not count.", t.name, run.id, fmt::join(gone, ", ")));
            }
    }
};

} // namespace

void tellVerdict(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model, Verdict& verdict) {
    Teller(profile, trials, model, verdict).tell();
}

} // namespace caelumen
