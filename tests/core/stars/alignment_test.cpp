#include "core/stars/alignment.h"

#include "support/scenes.h"

using namespace caelumen;

namespace {

struct Pair {
    std::vector<AlignStar> baseline, run;
};

/// `common` stars seen in both, with centroid noise, and strangers in each; brightness order differs as between filters.
Pair makePair(const Alignment& truth, int common, int strangers, unsigned long long seed, double width = 1600, double height = 1000, double centroidNoise = 0.05) {
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
