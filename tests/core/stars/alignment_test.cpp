#include "core/stars/alignment.h"
#include "core/stars/chance_match.h"
#include "support/scenes.h"

using namespace caelumen;

namespace {

struct Pair {
    std::vector<AlignStar> baseline, run;
};

/// `common` stars seen in both, with centroid noise, and strangers in each; brightness order differs as between filters.
Pair makePair(const Alignment& truth, int common, int strangers, unsigned long long seed, double width = 1600, double height = 1000,
              double centroidNoise = 0.05) {
    Random random(seed);
    Pair p;
    for (int i = 0; i < common; ++i) {
        const Point at{random.uniform() * width, random.uniform() * height};
        const double flux = std::pow(10, 2 + 2 * random.uniform());
        p.baseline.push_back({{at.x + centroidNoise * random.normal(), at.y + centroidNoise * random.normal()}, flux});
        const Point q = truth.map(at);
        p.run.push_back({{q.x + centroidNoise * random.normal(), q.y + centroidNoise * random.normal()}, flux * std::pow(10, 0.3 * random.normal())});
    }
    for (int i = 0; i < strangers; ++i) {
        p.baseline.push_back({{random.uniform() * width, random.uniform() * height}, std::pow(10, 2 + 1.5 * random.uniform())});
        p.run.push_back({truth.map({random.uniform() * width, random.uniform() * height}), std::pow(10, 2 + 1.5 * random.uniform())});
    }
    return p;
}

double worstCorner(const Alignment& a, const Alignment& b, double w = 1600, double h = 1000) {
    double worst = 0;
    for (const Point p : {Point{0, 0}, Point{w, 0}, Point{0, h}, Point{w, h}}) {
        const Point x = a.map(p), y = b.map(p);
        worst = std::max(worst, std::hypot(x.x - y.x, x.y - y.y));
    }
    return worst;
}

} // namespace

class AlignmentTest : public QObject {
    Q_OBJECT

private slots:
    void findsEverySimilarity_data() {
        QTest::addColumn<double>("dx");
        QTest::addColumn<double>("dy");
        QTest::addColumn<double>("turn");
        QTest::addColumn<double>("scale");
        QTest::addColumn<bool>("mirrored");
        QTest::newRow("nothing") << 0.0 << 0.0 << 0.0 << 1.0 << false;
        QTest::newRow("shift") << 12.3 << -8.9 << 0.0 << 1.0 << false;
        QTest::newRow("small turn") << 3.0 << 4.0 << 0.4 << 1.0 << false;
        QTest::newRow("meridian flip") << 1590.0 << 1010.0 << 180.0 << 1.0 << false;
        QTest::newRow("any turn") << 400.0 << -300.0 << 73.0 << 1.0 << false;
        QTest::newRow("another camera") << 40.0 << 30.0 << -5.0 << 0.62 << false;
        QTest::newRow("larger scale") << -40.0 << 30.0 << 12.0 << 2.4 << false;
        QTest::newRow("mirrored") << 1600.0 << 0.0 << 2.0 << 1.0 << true;
    }
    void findsEverySimilarity() {
        QFETCH(double, dx);
        QFETCH(double, dy);
        QFETCH(double, turn);
        QFETCH(double, scale);
        QFETCH(bool, mirrored);
        const Alignment truth{dx, dy, turn, scale, mirrored, 0, 0};
        const Pair p = makePair(truth, 300, 120, 3);
        const auto found = align(p.baseline, p.run);
        QVERIFY2(found.ok(), found.ok() ? "" : found.error().message.c_str());
        QCOMPARE(found->mirrored, mirrored);
        QVERIFY2(worstCorner(*found, truth) < 0.08, qPrintable(QString::number(worstCorner(*found, truth))));
        QVERIFY(found->rms_px < 0.15 * std::max(1.0, scale));
        QVERIFY(found->matched > 250);
    }

    void eightStarsAreEnough() {
        for (unsigned long long seed = 1; seed <= 5; ++seed) {
            const Alignment truth{21, -14, 1.5, 1, false, 0, 0};
            const Pair p = makePair(truth, 8, 0, seed);
            const auto found = align(p.baseline, p.run);
            QVERIFY2(found.ok(), qPrintable(QString::number(seed)));
            QVERIFY(worstCorner(*found, truth) < 1);
        }
    }

    void aFewNarrowbandStarsAgainstThousands() {
        const Alignment truth{-6, 9, 0.7, 1, false, 0, 0};
        Pair p = makePair(truth, 45, 0, 9);
        Random random(4);
        for (int i = 0; i < 2500; ++i) p.baseline.push_back({{random.uniform() * 1600, random.uniform() * 1000}, std::pow(10, 1 + 1.2 * random.uniform())});
        const auto found = align(p.baseline, p.run);
        QVERIFY2(found.ok(), found.ok() ? "" : found.error().message.c_str());
        QVERIFY(worstCorner(*found, truth) < 0.3);
    }

    void anotherFieldIsRefused() {
        for (unsigned long long seed = 1; seed <= 3; ++seed) {
            const Pair a = makePair({}, 250, 0, seed), b = makePair({}, 250, 0, seed + 100);
            const auto found = align(a.baseline, b.run);
            QVERIFY(!found.ok());
            QVERIFY(found.error().message.find("same field") != std::string::npos);
        }
    }

    /// Random fields of 8 to 5,000 stars, as dense as each other or not, in half of the cases with both pixel scales stated, even ones and ones with clusters.
    /// CAELUMEN_PAIRS sets how many (docs/development.md tells what a thousand gave).
    void randomFieldsAreNeverMatched() {
        const int wanted = qEnvironmentVariableIntValue("CAELUMEN_PAIRS"), pairs = wanted > 0 ? wanted : 16;
        Random random(77);
        const auto field = [&](bool clustered, bool few) {
            const int n = few ? 45 + static_cast<int>(23 * random.uniform()) : static_cast<int>(std::lround(8 * std::pow(5000.0 / 8, random.uniform())));
            const double width = 1600 * (0.5 + random.uniform()), height = 1000 * (0.5 + random.uniform());
            std::vector<AlignStar> out;
            for (int i = 0; i < n; ++i) {
                Point at{random.uniform() * width, random.uniform() * height};
                if (clustered && i % 2) at = {width / 2 + 0.08 * width * random.normal(), height / 2 + 0.08 * width * random.normal()};
                out.push_back({at, std::pow(10, 2 + 2 * random.uniform())});
            }
            return out;
        };
        int wrong = 0;
        for (int i = 0; i < pairs; ++i) {
            const bool clustered = i % 5 == 0, few = i % 2 == 0; // some fifty stars match by chance most easily
            const auto a = field(clustered, few), b = field(clustered, few);
            const auto found = align(a, b, i % 2 ? std::optional(1.0) : std::nullopt);
            if (!found) continue;
            ++wrong;
            qWarning("pair %d: %zu and %zu stars, %d matched, scale %.3f, rms %.2f", i, a.size(), b.size(), found->matched, found->scale, found->rms_px);
        }
        QCOMPARE(wrong, 0);
    }

    /// The same field with only three of ten stars in common, turned, mirrored, at another scale, through a filter that changes which stars are bright.
    void threeOfTenStarsAreEnough() {
        const int wanted = qEnvironmentVariableIntValue("CAELUMEN_PAIRS"), pairs = wanted > 0 ? wanted / 20 : 8;
        Random random(78);
        int lost = 0;
        for (int i = 0; i < pairs; ++i) {
            const int n = static_cast<int>(std::lround(30 * std::pow(50.0, random.uniform()))), common = std::max(9, 3 * n / 10);
            const double scale = i % 3 == 0 ? 1 : 0.4 + 2 * random.uniform();
            const Alignment truth{800 * random.uniform(), 500 * random.uniform(), 360 * random.uniform() - 180, scale, i % 4 == 0, 0, 0};
            Pair p = makePair(truth, common, n - common, 1000 + static_cast<unsigned long long>(i));
            const auto found = align(p.baseline, p.run, i % 2 ? std::optional(scale * (1 + 0.02 * random.normal())) : std::nullopt);
            if (found && worstCorner(*found, truth) < 1.5 * std::max(1.0, scale)) continue;
            ++lost;
            qWarning("pair %d: %d stars, %d in common, scale %.2f: %s", i, n, common, scale, found ? "a wrong place" : found.error().message.c_str());
        }
        QCOMPARE(lost, 0);
    }

    /// A header that states another scale is overruled by stars, but not by a handful of them.
    void aWrongStatedScaleIsOverruledByManyStars() {
        const Alignment truth{12, -8, 3, 1, false, 0, 0};
        const Pair many = makePair(truth, 80, 40, 5);
        const auto found = align(many.baseline, many.run, 2.0);
        QVERIFY(found.ok() && worstCorner(*found, truth) < 0.2);
    }

    void oddsAreThoseOfTheBinomial() {
        // P(N >= 3 of 10 at 0.1) = 0.0701908; two matches and two places are used up by the fit.
        QVERIFY(std::abs(chanceMatches_log10(5, 12, 0.1, 1) - std::log10(0.0701908264)) < 1e-6);
        QVERIFY(std::abs(chanceMatches_log10(5, 12, 0.1, 1000) - 3 - std::log10(0.0701908264)) < 1e-6);
        QCOMPARE(chanceMatches_log10(2, 50, 0.01, 100), 2.0); // nothing beyond what fits any pair
        QCOMPARE(chanceMatches_log10(20, 50, 0.9, 100), 2.0); // fewer than chance would bring
        QVERIFY(chanceMatches_log10(300, 300, 1e-4, 1e6) < -500);
    }

    void tooFewStarsAreRefused() { QVERIFY(!align({{{1, 1}, 1}, {{5, 5}, 1}}, {{{1, 1}, 1}}).ok()); }

    void mapAndUnmapAreInverse() {
        Random random(8);
        for (int i = 0; i < 100; ++i) {
            const Alignment a{random.normal() * 100, random.normal() * 100, random.uniform() * 360 - 180, 0.3 + 2.7 * random.uniform(), i % 2 == 0, 0, 0};
            const Point p{random.uniform() * 2000, random.uniform() * 2000}, q = a.unmap(a.map(p));
            QVERIFY(std::hypot(p.x - q.x, p.y - q.y) < 1e-8);
        }
    }

    /// The definition in docs/formats.md, written out.
    void mapFollowsItsDefinition() {
        const Alignment a{3, -4, 30, 2, true, 0, 0};
        const double c = std::cos(M_PI / 6), s = std::sin(M_PI / 6);
        const Point q = a.map({10, 20});
        QVERIFY(std::abs(q.x - (2 * (c * -1 * 10 - s * 20) + 3)) < 1e-12);
        QVERIFY(std::abs(q.y - (2 * (s * -1 * 10 + c * 20) - 4)) < 1e-12);
    }
};

QTEST_GUILESS_MAIN(AlignmentTest)
#include "alignment_test.moc"
