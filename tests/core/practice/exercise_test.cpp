#include "core/base/statistics.h"
#include "core/practice/exercise.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

double meanOf(const Plane& p) {
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) sum += static_cast<double>(p.data()[i]) / static_cast<double>(p.size());
    return sum;
}

/// Mean grey of a ring about the star.
double ringOf(const EyeExercise& e, double radius) {
    double sum = 0, n = 0;
    for (int a = 0; a < 360; ++a) {
        const int x = static_cast<int>(std::lround(e.star.x + radius * std::cos(a * M_PI / 180))),
                  y = static_cast<int>(std::lround(e.star.y + radius * std::sin(a * M_PI / 180)));
        if (e.pictures[0].contains(x, y)) sum += static_cast<double>(e.pictures[0].at(x, y)), ++n;
    }
    return sum / std::max(1.0, n);
}

} // namespace

class ExerciseTest : public QObject {
    Q_OBJECT

private slots:
    void picturesAreGreysAndComeAgain() {
        for (const ExerciseKind kind : {ExerciseKind::Nebula, ExerciseKind::Halo, ExerciseKind::Haze}) {
            const EyeExercise e = makeEyeExercise(kind, 4), again = makeEyeExercise(kind, 4), other = makeEyeExercise(kind, 5);
            QCOMPARE(e.pictures.size(), std::size_t(kind == ExerciseKind::Halo ? 1 : 2));
            for (const Plane& p : e.pictures) {
                QVERIFY(p.width() > 300 && p.height() > 300);
                const double mean = meanOf(p);
                QVERIFY2(mean > 0.05 && mean < 0.8, qPrintable(QString::number(mean)));
            }
            QVERIFY(e.truth == again.truth && e.pictures[0].at(50, 60) == again.pictures[0].at(50, 60));
            QVERIFY(e.truth != other.truth || kind == ExerciseKind::Haze);
        }
    }

    void truthsVaryAndNeitherSideIsFavoured() {
        int first = 0, hazy = 0;
        for (unsigned long long seed = 1; seed <= 24; ++seed) {
            first += makeEyeExercise(ExerciseKind::Nebula, seed).truth < 0;
            hazy += makeEyeExercise(ExerciseKind::Haze, seed).truth > 0;
        }
        QVERIFY2(first > 4 && first < 20, qPrintable(QString::number(first)));
        QVERIFY2(hazy > 4 && hazy < 20, qPrintable(QString::number(hazy)));
    }

    void theHaloEndsWhereTheTruthSays() {
        for (unsigned long long seed : {3ULL, 8ULL, 21ULL}) {
            const EyeExercise e = makeEyeExercise(ExerciseKind::Halo, seed, 1.0);
            QVERIFY2(ringOf(e, 0.9 * e.truth) > ringOf(e, 1.12 * e.truth) + 0.01,
                     qPrintable(QString("%1: %2 %3").arg(seed).arg(ringOf(e, 0.9 * e.truth)).arg(ringOf(e, 1.12 * e.truth))));
        }
    }

    void answersAreJudgedAndLearntFrom() {
        EyeExercise e;
        e.kind = ExerciseKind::Halo, e.truth = 60;
        std::vector<PracticeAnswer> all;
        for (const double r : {66.0, 68.0, 67.0, 69.0, 66.5, 90.0}) all.push_back(answerOf(e, r, "2026-06-20T20:00:00Z"));
        QVERIFY(all[0].right && !all[5].right && !answerOf(e, 0, "").right);
        const PracticeSummary s = summaryOf(all, ExerciseKind::Halo);
        QVERIFY(s.answers == 6 && s.right == 5 && s.low < s.rate && s.high > s.rate && s.high <= 1);
        QVERIFY(*s.bias > 0.1);
        QCOMPARE(s.progress.size(), std::size_t(6));
        QVERIFY(biasSentence(s, ExerciseKind::Halo).find("too large") != std::string::npos);
        QVERIFY(summaryOf(all, ExerciseKind::Haze).answers == 0);
        e.kind = ExerciseKind::Nebula, e.truth = -0.3;
        QVERIFY(answerOf(e, -1, "").right && !answerOf(e, 1, "").right);
        e.kind = ExerciseKind::Haze, e.truth = 0;
        QVERIFY(answerOf(e, 0, "").right && !answerOf(e, 1, "").right);
        QVERIFY(biasSentence({}, ExerciseKind::Haze).empty());
    }

    /// Somebody who guesses is told to lean no more often than chance makes one, however few answers there are; somebody who leans is told so.
    void nobodyIsToldToLeanByChance() {
        Random random(9);
        constexpr int kPeople = 600;
        const auto told = [&](ExerciseKind kind, int answers, double lean) {
            int n = 0;
            for (int person = 0; person < kPeople; ++person) {
                std::vector<PracticeAnswer> all;
                for (int k = 0; k < answers; ++k) {
                    EyeExercise e;
                    e.kind = kind;
                    const bool yes = random.uniform() < 0.5, said = random.uniform() < 0.5 + lean;
                    if (kind == ExerciseKind::Halo) {
                        e.truth = 50;
                        all.push_back(answerOf(e, 50 * std::exp(lean + 0.15 * random.normal()), ""));
                    } else if (kind == ExerciseKind::Haze) {
                        e.truth = yes ? 0.2 : 0;
                        all.push_back(answerOf(e, said ? 1 : 0, ""));
                    } else {
                        e.truth = yes ? -0.3 : 0.3;
                        all.push_back(answerOf(e, said ? -1 : 1, ""));
                    }
                }
                const std::string text = biasSentence(summaryOf(all, kind), kind);
                if (answers < 6) {
                    n += text.find("Too few") == std::string::npos;
                    continue;
                }
                n += text.find(" % too ") != std::string::npos || text.find("You lean towards the") == 0 || text.find("You call") == 0;
            }
            return n / static_cast<double>(kPeople);
        };
        for (const ExerciseKind kind : {ExerciseKind::Nebula, ExerciseKind::Halo, ExerciseKind::Haze}) {
            for (const int answers : {3, 6, 9, 20, 60}) {
                const double part = told(kind, answers, 0);
                QVERIFY2(part < 0.085, qPrintable(QString("%1 of %2 answers").arg(part).arg(answers))); // 5 %, four sigmas of 600 people
            }
            QVERIFY(told(kind, 60, kind == ExerciseKind::Halo ? 0.1 : 0.3) > 0.9);
        }
    }
};

QTEST_APPLESS_MAIN(ExerciseTest)
#include "exercise_test.moc"
