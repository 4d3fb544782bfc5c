#include "core/live/live_stop.h"

#include "core/base/phrase.h"
#include "core/sky/ephemeris.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct Timed {
    const SubFigures* sub;
    double second;
    std::size_t run;
};

std::vector<Timed> timedSubs(const std::vector<LiveRun>& runs, double& start) {
    std::vector<Timed> out;
    std::optional<double> day;
    for (std::size_t r = 0; r < runs.size(); ++r)
        for (const JudgedSub& s : runs[r].run->subs) {
            const auto t = s.figures->start.empty() ? Result<JulianDate>(Error{""}) : parseTime(s.figures->start);
            if (!s.keep || !t || !s.figures->problem.empty()) continue;
            if (!day) day = t->day;
            out.push_back({&*s.figures, 86400 * (t->day - *day + t->fraction) + s.figures->exposure_s.value_or(0) / 2, r});
        }
    start = day.value_or(0);
    return out;
}

/// A quantity's points; nothing for subs that lack it.
template<class Value>
std::vector<LivePoint> pointsOf(const std::vector<Timed>& subs, Value value) {
    std::vector<LivePoint> out;
    for (const Timed& t : subs)
        if (const std::optional<double> v = value(t); v && std::isfinite(*v)) out.push_back({t.second, t.run, *v});
    return out;
}

std::vector<std::string> channelsOf(const std::vector<Timed>& subs) {
    std::vector<std::string> out;
    for (const Timed& t : subs)
        for (const auto& [channel, level] : t.sub->level)
            if (std::find(out.begin(), out.end(), channel) == out.end()) out.push_back(channel);
    const std::string order = "RGBL"; // in the order of their names
    std::stable_sort(out.begin(), out.end(), [&](const std::string& a, const std::string& b) { return order.find(a) < order.find(b); });
    return out;
}

void fillRhythm(LiveNight& night, std::vector<Timed> subs) {
    std::sort(subs.begin(), subs.end(), [](const Timed& a, const Timed& b) { return a.second < b.second; });
    if (subs.empty()) return;
    double blocks = 1;
    for (std::size_t i = 1; i < subs.size(); ++i) blocks += subs[i].run != subs[i - 1].run;
    night.perBlock = static_cast<double>(subs.size()) / blocks;
    night.latest = subs.back().second;
    if (subs.size() > 1) night.cadence_s = (subs.back().second - subs.front().second) / static_cast<double>(subs.size() - 1);
}

void judge(LivePair& pair, const std::vector<LiveStep>& steps, const LiveOptions& options, double alpha, const LiveNight& night) {
    const auto filters = static_cast<double>(night.filters.size());
    pair.evidence = evidenceOf(steps, pair.a, pair.b, alpha);
    if (pair.evidence.empty()) return;
    const LiveEvidence& now = pair.evidence.back();
    const auto told = std::find_if(pair.evidence.begin(), pair.evidence.end(), [&](const LiveEvidence& e) { return e.logEvidence >= -std::log(alpha); });
    if (told != pair.evidence.end()) {
        pair.toldAt = told->second;
        pair.word = LiveWord::ToldApart;
        return;
    }
    const double noticed = std::log1p(options.notice);
    if (now.low && *now.low > -noticed && *now.high < noticed) {
        pair.word = LiveWord::Alike;
        return;
    }
    pair.word = LiveWord::GoOn;
    const auto subs = [&](double difference) -> std::optional<int> {
        const auto blocks = blocksToTell(steps, pair.a, pair.b, alpha, difference);
        // Swaps come round the filters: of each filter so many as its share of the blocks.
        return blocks ? std::optional(static_cast<int>(std::ceil(*blocks * night.perBlock / filters))) : std::nullopt;
    };
    pair.moreSubs = subs(now.difference);
    if (!options.secondsLeft || night.cadence_s <= 0) return;
    // Not tonight is a claim too: only if even a difference two of its errors larger would not be told in the time that is left.
    const auto fewest = subs(std::abs(now.difference) + 2 * now.sigma);
    const double possible = *options.secondsLeft / night.cadence_s / filters;
    if (!fewest || *fewest > possible) pair.word = LiveWord::NotTonight;
}

std::string percent(double ratio) {
    return fmt::format("{:+.1f} %", 100 * (ratio - 1));
}

std::string times(double ratio) {
    return ratio > 1.5 || ratio < 0.67 ? fmt::format("{:.3g} times", ratio) : percent(ratio);
}

} // namespace

const char* liveQuantityName(LiveQuantity quantity) {
    switch (quantity) {
    case LiveQuantity::Background:
        return "sky background";
    case LiveQuantity::Starlight:
        return "starlight";
    case LiveQuantity::StarTime:
        return "time for a faint star";
    case LiveQuantity::Sharpness:
        return "star FWHM";
    }
    return "";
}

double LivePair::ratio() const {
    return evidence.empty() ? 1 : std::exp(evidence.back().difference);
}

std::optional<double> LivePair::lowRatio() const {
    return evidence.empty() || !evidence.back().low ? std::nullopt : std::optional(std::exp(*evidence.back().low));
}

std::optional<double> LivePair::highRatio() const {
    return evidence.empty() || !evidence.back().high ? std::nullopt : std::optional(std::exp(*evidence.back().high));
}

std::string LivePair::sentence(const std::vector<std::string>& filters) const {
    const std::string what = channel.empty() ? wordOf(liveQuantityName(quantity)) : phrase("{} in {}", wordOf(liveQuantityName(quantity)), channel),
                      both = fmt::format("{} against {}", filters[b], filters[a]);
    const std::string bounds = lowRatio() ? fmt::format(" ({} to {})", times(*lowRatio()), times(*highRatio())) : "";
    switch (word) {
    case LiveWord::TooEarly:
        return absent.empty() ? phrase("{}: {}: too early; swap filters and back once more (A B B A).", both, what)
                              : fmt::format("{}: {}: {}", both, what, absent);
    case LiveWord::GoOn:
        return phrase("{}: {} {}{}: go on{}.", both, what, times(ratio()), bounds,
                      moreSubs ? phrase(", about {} more subs of each", std::max(1, *moreSubs)) : "");
    case LiveWord::ToldApart:
        return phrase("{}: {} {}{}: told apart, stop.", both, what, times(ratio()), bounds);
    case LiveWord::Alike:
        return phrase("{}: {} {}{}: alike as far as anybody would notice, stop.", both, what, times(ratio()), bounds);
    case LiveWord::NotTonight:
        return phrase("{}: {} {}{}: will not be told apart tonight{}.", both, what, times(ratio()), bounds,
                      moreSubs ? phrase(": {} more subs of each needed", *moreSubs) : phrase(", nor in two hundred more blocks"));
    }
    return {};
}

LiveNight liveNight(const std::vector<LiveRun>& runs, StarLight& light) {
    LiveNight out;
    const auto subs = timedSubs(runs, out.start);
    fillRhythm(out, subs);
    const bool gains = std::all_of(runs.begin(), runs.end(), [](const LiveRun& r) { return r.gain_e_per_adu.has_value(); });
    std::vector<const JudgedRun*> judged;
    std::vector<std::optional<double>> each;
    for (const LiveRun& r : runs) out.filters.push_back(r.filter), judged.push_back(r.run), each.push_back(r.gain_e_per_adu);
    const auto starlight = light.of(judged, each);
    const auto lightOf = [&](const Timed& t) {
        const auto it = starlight.find(t.sub->file);
        return it == starlight.end() ? std::nullopt : std::optional(it->second);
    };
    const auto rate = [&](const Timed& t, double adu) { return std::log(adu * (gains ? *each[t.run] : 1) / *t.sub->exposure_s); };
    const auto add = [&](LiveQuantity quantity, const std::string& channel, bool within, auto value) {
        out.series.push_back({quantity, channel, pointsOf(subs, value), within});
    };
    using Value = std::optional<double>;
    for (const std::string& channel : channelsOf(subs))
        add(LiveQuantity::Background, channel, true, [&](const Timed& t) -> Value {
            const auto it = t.sub->level.find(channel);
            if (it == t.sub->level.end() || it->second <= 0 || !t.sub->exposure_s) return std::nullopt;
            return rate(t, it->second);
        });
    add(LiveQuantity::Starlight, "", true, lightOf);
    add(LiveQuantity::StarTime, "", false, [&](const Timed& t) -> Value {
        const auto l = lightOf(t);
        const auto it = t.sub->noise.find(t.sub->channel);
        if (!l || it == t.sub->noise.end() || it->second <= 0 || !t.sub->exposure_s) return std::nullopt;
        return 2 * (rate(t, it->second) - *l) + std::log(*t.sub->exposure_s);
    });
    add(LiveQuantity::Sharpness, "", false, [](const Timed& t) -> Value { return t.sub->fwhm_px ? Value(std::log(*t.sub->fwhm_px)) : std::nullopt; });
    if (!gains) out.notes.emplace_back(phrase("The gain of a run is not known: what is compared holds if all were taken at one gain."));
    if (subs.size() < 2) out.notes.emplace_back(phrase("The subs say no times, so that nothing can be told while they land."));
    std::string channel;
    for (const Timed& t : subs) {
        if (!channel.empty() && channel != t.sub->channel)
            out.notes.push_back(
                phrase("Stars are measured in {} of one filter and in {} of another: their light is compared across channels.", channel, t.sub->channel));
        if (!channel.empty() && channel != t.sub->channel) break;
        channel = t.sub->channel;
    }
    return out;
}

LiveStop judgeLive(const LiveNight& night, const LiveOptions& options) {
    LiveStop out;
    const std::size_t n = night.filters.size();
    if (n < 2) return out;
    out.alphaEach = options.alpha / (static_cast<double>(night.series.size() * n * (n - 1)) / 2);
    for (std::size_t a = 0; a < n; ++a)
        for (std::size_t b = a + 1; b < n; ++b)
            for (const LiveSeries& s : night.series) {
                LivePair pair{a, b, s.quantity, s.channel, LiveWord::TooEarly, {}, {}, {}, {}};
                const auto has = [&](std::size_t run) {
                    return std::any_of(s.points.begin(), s.points.end(), [&](const LivePoint& p) { return p.filter == run; });
                };
                if (!has(a) || !has(b))
                    pair.absent = s.quantity == LiveQuantity::Starlight || s.quantity == LiveQuantity::StarTime
                                      ? phrase("the filters do not share twenty stars.")
                                      : phrase("its subs do not tell it.");
                else
                    judge(pair, stepsOf(s.points, s.within), options, out.alphaEach, night);
                out.pairs.push_back(std::move(pair));
            }
    return out;
}

} // namespace caelumen
