#include "core/compare/scores.h"

#include "core/model/quantity.h"

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

constexpr std::array kScores{
    Score{"nebula", "Nebula", q::timeRatio, "How much faster does it show the nebula?"},
    Score{"background", "Background", q::backgroundMag, "How much darker is the sky?"},
    Score{"halo", "Halo", q::haloDepth, "How faint is its halo around a bright star?"},
    Score{"colour", "Star colour", q::colourSlope, "How much star colour does it keep?"},
    Score{"gradient", "Gradient", "gradient", "How uneven is the sky?"},
};

} // namespace

std::span<const Score> scores() {
    return kScores;
}

const Measurement* scoreOf(const TrialResults& results, const std::string& run, const Score& score, const std::string& nebula) {
    return results.headline(run, std::string(score.headline), score.id == "nebula" ? nebula : std::string());
}

std::optional<double> baselineValue(const Score& score) {
    if (score.id == "nebula" || score.id == "colour") return 1.0;
    if (score.id == "background") return 0.0;
    return std::nullopt;
}

const Unfairness* voided(const TrialResults& results, const std::string& run, const Score& score) {
    for (const Unfairness& f : results.fairness)
        if (f.run == run && f.grade == Grade::Voids && std::find(f.quantities.begin(), f.quantities.end(), score.headline) != f.quantities.end()) return &f;
    return nullptr;
}

} // namespace caelumen
