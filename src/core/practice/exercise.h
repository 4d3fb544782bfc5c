#pragma once

#include "core/image/plane.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

enum class ExerciseKind {
    Nebula, ///< which of two pictures shows the nebula in less time?
    Halo,   ///< how large is the halo of the star?
    Haze,   ///< is the second picture hazy?
};
const char* exerciseName(ExerciseKind kind); ///< "nebula", "halo", "haze"

/// Made-up pictures with a truth that is known.
struct EyeExercise {
    ExerciseKind kind = ExerciseKind::Nebula;
    std::vector<Plane> pictures; ///< greys, 0 to 1, stretched as the Bench does
    Point star;                  ///< with the halo, pixels
    /// Nebula: logarithm of the time that the first needs over the second's. Halo: radius, pixels. Haze: part of the starlight that is lost; 0: clear.
    double truth = 0;
};

/// The same for the same seed. `ease` 0 to 1: how large differences are.
EyeExercise makeEyeExercise(ExerciseKind kind, unsigned long long seed, double ease = 0.5);

/// What somebody said. Nebula: -1 the first, 1 the second is better. Halo: a radius, pixels. Haze: 0 clear, 1 hazy.
struct PracticeAnswer {
    long long id = 0;
    std::string kind, date; ///< ISO 8601, UTC
    double answer = 0, truth = 0;
    bool right = false;
    friend bool operator==(const PracticeAnswer&, const PracticeAnswer&) = default;
};
/// A radius counts as right within a sixth.
PracticeAnswer answerOf(const EyeExercise& exercise, double answer, const std::string& date);

/// How somebody does in one kind of exercise.
struct PracticeSummary {
    int answers = 0, right = 0;
    double rate = 0, low = 0, high = 1; ///< part that is right, with its 95 % interval (Wilson 1927, J. Am. Stat. Assoc. 22, 209)
    std::optional<double> bias,
        biasSigma; ///< halo: mean of ln(answer / truth); nebula: part of answers "the first" less a half; haze: part called hazy less the part that was
    std::vector<double> progress; ///< part right of the last ten, after each answer
};
PracticeSummary summaryOf(const std::vector<PracticeAnswer>& answers, ExerciseKind kind);
std::string biasSentence(const PracticeSummary& summary, ExerciseKind kind); ///< empty where nothing can be said

} // namespace caelumen
