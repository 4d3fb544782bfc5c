#include "core/practice/exercise.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/simulate/demo.h"
#include "core/simulate/render.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kWidth = 460, kHeight = 400;

SceneRun sceneOf(unsigned long long seed) {
    SceneRun run;
    run.filter = demoFilters().front();
    run.filter.ghosts.clear();
    run.camera = SceneCamera::Mono;
    run.width = kWidth, run.height = kHeight;
    run.rig.focal_mm = 420;
    run.sky.zenith_mag = 19.5;
    run.vignette = 0;
    run.noiseSeed = seed * 7919 + 1;
    return run;
}

/// Greys of one look for several pictures: each from its own sky, all scaled by the same noise.
void stretch(std::vector<Plane>& pictures, double whiteSigmas) {
    std::vector<double> skies, noises;
    for (const Plane& p : pictures) {
        std::vector<float> values(p.data(), p.data() + p.size());
        const ClippedStats s = clippedStats(std::span<float>(values));
        skies.push_back(s.median), noises.push_back(s.sigma);
    }
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        const double black = skies[i] - 2.5 * noises[i], white = whiteSigmas * noises[i], soft = 4 * noises[i],
                     top = std::asinh((white + 2.5 * noises[i]) / soft);
        for (std::size_t k = 0; k < pictures[i].size(); ++k) {
            float& v = pictures[i].data()[k];
            v = static_cast<float>(std::clamp(std::asinh((static_cast<double>(v) - black) / soft) / top, 0.0, 1.0));
        }
    }
}

std::vector<SceneStar> starsOf(const SceneRun& run, unsigned long long seed) {
    return makeStars(kWidth, kHeight, 40, seed, 3000, run.rig.scale_arcsec(), 9, 17);
}

EyeExercise nebulaExercise(unsigned long long seed, double ease, Random& random) {
    EyeExercise out;
    out.kind = ExerciseKind::Nebula;
    SceneRun run = sceneOf(seed);
    const NebulaMap nebula = makeNebula(kWidth, kHeight, 40, seed, 60 + 60 * random.uniform());
    const CleanPlane clean = renderClean(run, 3, nebula, starsOf(run, seed));
    const double size = 0.1 + (0.3 + 1.3 * ease) * random.uniform(), sign = random.uniform() < 0.5 ? -1 : 1;
    out.truth = sign * size;
    // A filter passes a part of the nebula and less of the sky: time goes as the sky over the signal squared.
    for (const double half : {-0.5, 0.5}) {
        CleanPlane seen = clean;
        const double passes = 0.55 + 0.4 * random.uniform(), sky = passes * passes / std::exp(half * out.truth) * 0.5;
        for (std::size_t i = 0; i < seen.sky.size(); ++i) {
            seen.sky.data()[i] *= static_cast<float>(sky);
            seen.nebula.data()[i] *= static_cast<float>(passes);
            seen.stars.data()[i] *= static_cast<float>(0.5 * passes);
        }
        run.noiseSeed += 17;
        out.pictures.push_back(expose(run, seen, 3));
    }
    stretch(out.pictures, 30);
    return out;
}

EyeExercise haloExercise(unsigned long long seed, double ease, Random& random) {
    EyeExercise out;
    out.kind = ExerciseKind::Halo;
    SceneRun run = sceneOf(seed);
    const double wanted = 18 + 90 * random.uniform();
    // The gap that makes a disc of that radius: both grow alike.
    Ghost ghost{1, 0, {}};
    ghost.gap_mm = wanted / ghostRadius(run, ghost);
    ghost.fraction = (0.002 + 0.01 * ease) * std::pow(wanted / 60, 2);
    run.filter.ghosts = {ghost};
    out.truth = ghostRadius(run, ghost);
    out.star = {kWidth * (0.4 + 0.2 * random.uniform()), kHeight * (0.4 + 0.2 * random.uniform())};
    std::vector<SceneStar> stars = starsOf(run, seed);
    stars.push_back({out.star, 4.5 + random.uniform(), 9000});
    NebulaMap nebula = makeNebula(kWidth, kHeight, 40, seed, 15 * random.uniform());
    out.pictures.push_back(expose(run, renderClean(run, 3, nebula, stars), 3));
    stretch(out.pictures, 60);
    return out;
}

EyeExercise hazeExercise(unsigned long long seed, double ease, Random& random) {
    EyeExercise out;
    out.kind = ExerciseKind::Haze;
    const SceneRun clear = sceneOf(seed);
    SceneRun second = clear;
    if (random.uniform() < 0.5) {
        out.truth = (0.08 + 0.3 * ease) * (0.5 + random.uniform());
        second.sky.extinction = 1 - out.truth;
        second.sky.fog = 0.5 * out.truth;
        second.sky.zenith_mag -= 0.6 * out.truth;
    } else {
        second.sky.zenith_mag -= 0.1 * random.uniform(); // a sky that is merely brighter
    }
    second.noiseSeed += 31;
    const NebulaMap nebula = makeNebula(kWidth, kHeight, 40, seed, 40);
    std::vector<SceneStar> stars = starsOf(clear, seed);
    stars.push_back({{kWidth * random.uniform(), kHeight * random.uniform()}, 6 + random.uniform(), 7000});
    for (const SceneRun* run : {&clear, static_cast<const SceneRun*>(&second)}) {
        CleanPlane clean = renderClean(*run, 3, nebula, stars);
        out.pictures.push_back(expose(*run, clean, 3));
    }
    stretch(out.pictures, 40);
    return out;
}

} // namespace

const char* exerciseName(ExerciseKind kind) {
    switch (kind) {
    case ExerciseKind::Nebula:
        return "nebula";
    case ExerciseKind::Halo:
        return "halo";
    case ExerciseKind::Haze:
        return "haze";
    }
    return "";
}

EyeExercise makeEyeExercise(ExerciseKind kind, unsigned long long seed, double ease) {
    Random random(seed * 2'654'435'761ULL + static_cast<unsigned long long>(kind));
    switch (kind) {
    case ExerciseKind::Nebula:
        return nebulaExercise(seed, ease, random);
    case ExerciseKind::Halo:
        return haloExercise(seed, ease, random);
    case ExerciseKind::Haze:
        return hazeExercise(seed, ease, random);
    }
    return {};
}

PracticeAnswer answerOf(const EyeExercise& e, double answer, const std::string& date) {
    PracticeAnswer out{0, exerciseName(e.kind), date, answer, e.truth, false};
    if (e.kind == ExerciseKind::Nebula) out.right = answer * e.truth > 0;
    if (e.kind == ExerciseKind::Halo) out.right = answer > 0 && std::abs(std::log(answer / e.truth)) < std::log(7.0 / 6);
    if (e.kind == ExerciseKind::Haze) out.right = (answer > 0.5) == (e.truth > 0);
    return out;
}

PracticeSummary summaryOf(const std::vector<PracticeAnswer>& all, ExerciseKind kind) {
    PracticeSummary out;
    std::vector<bool> last;
    std::vector<double> offs;
    for (const PracticeAnswer& a : all) {
        if (a.kind != exerciseName(kind)) continue;
        ++out.answers, out.right += a.right;
        last.push_back(a.right);
        const std::size_t from = last.size() > 10 ? last.size() - 10 : 0;
        out.progress.push_back(static_cast<double>(std::count(last.begin() + static_cast<std::ptrdiff_t>(from), last.end(), true)) /
                               static_cast<double>(last.size() - from));
        if (kind == ExerciseKind::Halo && a.answer > 0 && a.truth > 0) offs.push_back(std::log(a.answer / a.truth));
        if (kind == ExerciseKind::Nebula) offs.push_back((a.answer < 0 ? 1 : 0) - (a.truth < 0 ? 1 : 0));
        if (kind == ExerciseKind::Haze) offs.push_back((a.answer > 0.5 ? 1 : 0) - (a.truth > 0 ? 1 : 0));
    }
    if (out.answers == 0) return out;
    const double n = out.answers, p = out.right / n, z = 1.96;
    out.rate = p;
    const double middle = (p + z * z / (2 * n)) / (1 + z * z / n), half = z * std::sqrt(p * (1 - p) / n + z * z / (4 * n * n)) / (1 + z * z / n);
    out.low = middle - half, out.high = middle + half;
    if (offs.size() >= 3) {
        double mean = 0, squares = 0;
        const auto m = static_cast<double>(offs.size());
        for (const double o : offs) mean += o / m;
        for (const double o : offs) squares += (o - mean) * (o - mean);
        out.bias = mean, out.biasSigma = std::sqrt(squares / (m - 1) / m);
        // A few equal answers of two that can be given have no scatter, yet are no certainty.
        if (kind != ExerciseKind::Halo) out.biasSigma = std::max(*out.biasSigma, 0.5 / std::sqrt(m));
    }
    return out;
}

std::string biasSentence(const PracticeSummary& s, ExerciseKind kind) {
    if (!s.bias) return {};
    constexpr int kFewest = 6;
    if (s.answers < kFewest) return phrase("Too few answers yet to tell whether you lean to one side.");
    // 95 % of Student's t, within one in a hundred for as many answers.
    const double limit = 1.96 + 2.8 / (s.answers - 1);
    const bool sure = std::abs(*s.bias) > limit * *s.biasSigma && std::abs(*s.bias) > 0.02;
    if (kind == ExerciseKind::Halo) {
        if (!sure) return phrase("You see halos neither too large nor too small, as far as your answers tell.");
        return phrase("You see halos {:.0f} % too {}.", 100 * std::abs(std::expm1(*s.bias)), *s.bias > 0 ? phrase("large") : phrase("small"));
    }
    if (kind == ExerciseKind::Nebula)
        return sure ? phrase("You lean towards the {} picture.", *s.bias > 0 ? phrase("first") : phrase("second")) : phrase("You lean towards neither side.");
    return sure ? (*s.bias > 0 ? phrase("You call more pictures hazy than are.") : phrase("You call hazy pictures clear more often than the other way round."))
                : phrase("You do not lean towards either answer.");
}

} // namespace caelumen
