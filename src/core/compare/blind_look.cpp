#include "core/compare/blind_look.h"

#include "core/base/json_fields.h"
#include "core/base/phrase.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

namespace caelumen {
namespace {

struct Figure {
    std::string run;
    double value = 0, sigma = 0;
};

const Score* scoreNamed(const std::string& id) {
    for (const Score& s : scores())
        if (s.id == id) return &s;
    return nullptr;
}

std::vector<Figure> figuresOf(const BlindLook& look, const TrialResults& r, const Score& score) {
    std::vector<Figure> out;
    for (const std::string& run : look.ranking) {
        if (const Measurement* m = r.headline(run, std::string(score.headline), look.region)) {
            if (!m->flagged(flag::upperLimit)) out.push_back({run, m->value, m->sigma});
        } else if (const auto base = baselineValue(score); base && run == r.baseline) {
            out.push_back({run, *base, 0});
        }
    }
    return out;
}

} // namespace

std::vector<std::string> shuffledRuns(std::vector<std::string> runs, std::uint64_t seed) {
    std::mt19937_64 random(seed);
    for (std::size_t i = runs.size(); i > 1; --i) std::swap(runs[i - 1], runs[std::uniform_int_distribution<std::size_t>(0, i - 1)(random)]);
    return runs;
}

Agreement agreementOf(const BlindLook& look, const TrialResults& results) {
    Agreement out;
    const Score* score = scoreNamed(look.score);
    if (!score) return out;
    const bool higher = quantity(score->headline)->better == Better::Higher;
    const std::vector<Figure> figures = figuresOf(look, results, *score); // in the order of the eye
    const auto better = [&](const Figure& a, const Figure& b) { return higher ? a.value > b.value : a.value < b.value; };
    std::vector<std::pair<std::size_t, std::size_t>> apart; // the better one first
    for (std::size_t i = 0; i < figures.size(); ++i)
        for (std::size_t k = i + 1; k < figures.size(); ++k) {
            const Figure &a = figures[i], &b = figures[k];
            if (std::abs(a.value - b.value) > 1.96 * std::hypot(a.sigma, b.sigma))
                better(a, b) ? apart.emplace_back(i, k) : apart.emplace_back(k, i);
            else
                ++out.open;
        }
    out.pairs = static_cast<int>(apart.size());
    const auto agreeing = [&](const std::vector<std::size_t>& place) {
        return static_cast<int>(std::count_if(apart.begin(), apart.end(), [&](const auto& p) { return place[p.first] < place[p.second]; }));
    };
    std::vector<std::size_t> place(figures.size());
    std::iota(place.begin(), place.end(), std::size_t{0});
    out.agreed = agreeing(place);

    constexpr std::size_t kExact = 8;
    constexpr int kOrders = 20'000;
    double as = 0, all = 0;
    if (figures.size() <= kExact) {
        do all += 1, as += agreeing(place) >= out.agreed;
        while (std::next_permutation(place.begin(), place.end()));
    } else {
        std::mt19937_64 random(1);
        for (; all < kOrders; all += 1) {
            std::shuffle(place.begin(), place.end(), random);
            as += agreeing(place) >= out.agreed;
        }
    }
    out.chance = apart.empty() ? 1 : as / all;

    std::vector<Figure> sorted = figures;
    std::stable_sort(sorted.begin(), sorted.end(), better);
    for (const Figure& f : sorted) out.measured.push_back(f.run);
    return out;
}

Json blindLookToJson(const BlindLook& look) {
    return {{"score", look.score}, {"region", look.region}, {"shown", look.shown}, {"ranking", look.ranking}, {"reasons", look.reasons}, {"date", look.date}};
}

Result<BlindLook> blindLookFromJson(const Json& json, const std::string& source) {
    return understood<BlindLook>(source, [&] {
        const JsonFields f(json, source, phrase("a blind look"));
        BlindLook look{f.needText("score"), f.text("region"), f.texts("shown"), f.texts("ranking"), f.text("reasons"), f.text("date")};
        if (!scoreNamed(look.score)) f.fail(phrase("is of no known score"));
        return look;
    });
}

} // namespace caelumen
