#include "core/compare/sentences.h"

#include "core/base/phrase.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

int decimalsFor(double sigma) {
    if (!(sigma > 0) || !std::isfinite(sigma)) return 3;
    // Two digits of the error where it starts with 1 or 2, one otherwise.
    const int power = static_cast<int>(std::floor(std::log10(sigma)));
    const double lead = sigma / std::pow(10, power);
    return std::clamp(-power + (lead < 2.95 ? 1 : 0), 0, 9);
}

} // namespace

std::string formatNumber(double value, double sigma) {
    // Four digits of the value are as many as anyone can use, but an error must never be shown as none.
    const int most = std::abs(value) > 0 ? 3 - static_cast<int>(std::floor(std::log10(std::abs(value)))) : 4;
    const int least = sigma > 0 ? -static_cast<int>(std::floor(std::log10(sigma))) : 0;
    const int decimals = std::clamp(std::min(decimalsFor(sigma), std::max(most, least)), 0, 9);
    return numbers("{:.{}f} \u00B1{:.{}f}", value, decimals, sigma, decimals);
}

std::string formatValue(const Measurement& m) {
    if (!m.flagged(flag::upperLimit)) return formatNumber(m.value, m.sigma);
    const Quantity* q = quantity(m.quantity);
    const bool deep = q && q->unit == "mag/arcsec2"; // a limit on light is a lower limit on magnitudes
    return numbers("{} {:.{}f}", deep ? ">" : "<", m.value, deep ? 1 : decimalsFor(m.sigma));
}

std::string answerSentence(const Trial& trial, const TrialResults& r, const std::string& run, const std::string& wanted) {
    const Run* who = trial.run(run);
    const Run* base = trial.run(r.baseline);
    if (!who || !base) return {};
    const auto name = [&](const Run& x) {
        const Filter* f = trial.filter(x.filter);
        return f ? f->name : x.filter;
    };
    const std::string filter = name(*who), open = name(*base);
    std::string text;
    if (run == r.baseline) return phrase("{} is the baseline: the other filters are measured against it.", filter);
    const Region* nebula = nullptr;
    for (const Region& region : trial.regions)
        if (region.role == RegionRole::Nebula && (!nebula || region.id == wanted)) nebula = &region;
    const Measurement* ratio = nebula ? r.headline(run, q::timeRatio, nebula->id) : nullptr;
    if (ratio && ratio->sigma < std::abs(ratio->value)) {
        const std::string place = nebula->name.empty() ? nebula->id : nebula->name;
        constexpr double kCertain = 1.96, kAlike = 0.15; // sigmas of 95 %; an error of the ratio below which nearness to 1 says something
        const std::string figure = formatNumber(ratio->value, ratio->sigma);
        if (ratio->value - kCertain * ratio->sigma > 1)
            text = phrase("{} shows {} {} times faster than {} under this sky.", filter, place, figure, open);
        else if (ratio->value + kCertain * ratio->sigma < 1 && ratio->value > 0)
            text = phrase("{} needs {} times as long as {} to show {} under this sky.", filter,
                          formatNumber(1 / ratio->value, ratio->sigma / (ratio->value * ratio->value)), open, place);
        else if (ratio->sigma < kAlike)
            text = phrase("{} and {} show {} equally fast within the errors (time ratio {}).", filter, open, place, figure);
        else
            text = phrase("Whether {} shows {} faster than {} cannot be told at 95 % (time ratio {}).", filter, place, open, figure);
    } else if (const Absence* why = r.whyAbsent(run, q::timeRatio)) {
        text = phrase("{}: how much faster it shows the nebula is not known, because {}.", filter, why->reason);
    } else {
        text = phrase("{}: these frames do not say how much faster it shows the nebula.", filter);
    }
    const bool voided = std::any_of(r.fairness.begin(), r.fairness.end(), [&](const Unfairness& f) {
        return f.run == run && f.grade == Grade::Voids && std::find(f.quantities.begin(), f.quantities.end(), q::timeRatio) != f.quantities.end();
    });
    if (voided) text += phrase(" But the comparison is not fair: see what else differed.");
    return text;
}

std::string conditionsSentence(const Trial& trial, const RunConditions& c) {
    std::vector<std::string> parts;
    if (trial.site.sqm)
        parts.push_back(phrase("{:.2f} mag/arcsec\u00B2", *trial.site.sqm));
    else if (trial.site.bortle)
        parts.push_back(fmt::format("Bortle {}", *trial.site.bortle));
    if (c.sky) {
        if (c.sky->moon.alt_deg > 0) {
            parts.push_back(phrase("moon {:.0f} % at {:.0f}\u00B0", 100 * c.sky->moonIlluminated, c.sky->moon.alt_deg) +
                            (c.sky->moonSeparation_deg ? fmt::format(", {:.0f}\u00B0 away", *c.sky->moonSeparation_deg) : ""));
        } else {
            parts.push_back(phrase("moon down"));
        }
        if (c.sky->target) parts.push_back(phrase("target at {:.0f}\u00B0", c.sky->target->alt_deg));
    }
    if (c.sub_exposure_s)
        parts.push_back(c.sub_count ? fmt::format("{} \u00D7 {:g} s", *c.sub_count, *c.sub_exposure_s) : fmt::format("{:g} s", *c.sub_exposure_s));
    return fmt::format("{}", fmt::join(parts, "  \u00B7  "));
}

std::string moreSubsText(int more) {
    constexpr int kPractical = 2000; // of each: more nights than anybody has
    return more > kPractical ? phrase("no practical number of subs would") : phrase("about {} more subs of each would", more);
}

std::string tieSentence(const Ranking& ranking, const std::string& run) {
    std::string others;
    int more = 0;
    for (const RankedPair& p : ranking.pairs) {
        if (p.separated || (p.better != run && p.worse != run)) continue;
        others += (others.empty() ? "" : " or ") + (p.better == run ? p.worse : p.better);
        more = std::max(more, p.moreSubs.value_or(0));
    }
    if (others.empty()) return {};
    if (more == 0) return phrase("Cannot be told from run {} at 95 %.", others);
    return phrase("Cannot be told from run {} at 95 %; {}.", others, moreSubsText(more));
}

} // namespace caelumen
