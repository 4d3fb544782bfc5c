#include "core/base/statistics.h"
#include "core/measure/colour.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

std::vector<ColourPoint> stars(int n, double slope, double cast, double scatter, double noise, unsigned long long seed) {
    Random random(seed);
    std::vector<ColourPoint> out;
    for (int i = 0; i < n; ++i) {
        const double x = 0.7 + 0.45 * random.normal();
        const double own = noise * (0.5 + random.uniform());
        ColourPoint p;
        p.x = x + own * random.normal();
        p.y = 0.7 + cast + slope * (x - 0.7) + scatter * random.normal() + own * random.normal();
        p.xSigma = p.ySigma = own;
        out.push_back(p);
    }
    return out;
}

} // namespace

class ColourTest : public QObject {
    Q_OBJECT

private slots:
    void slopeCastAndScatterComeBack_data() {
        QTest::addColumn<double>("slope");
        QTest::addColumn<double>("cast");
        QTest::addColumn<double>("scatter");
        QTest::newRow("all colour") << 1.0 << 0.0 << 0.03;
        QTest::newRow("half") << 0.5 << 0.4 << 0.08;
        QTest::newRow("none") << 0.02 << -0.6 << 0.05;
        QTest::newRow("more") << 1.6 << 0.1 << 0.05;
    }
    void slopeCastAndScatterComeBack() {
        QFETCH(double, slope);
        QFETCH(double, cast);
        QFETCH(double, scatter);
        const auto fit = fitColour(stars(500, slope, cast, scatter, 0.02, 4));
        QVERIFY(fit);
        QVERIFY2(std::abs(fit->slope - slope) < 4 * fit->slopeSigma + 0.004, qPrintable(QString("%1 +- %2").arg(fit->slope).arg(fit->slopeSigma)));
        // The cast holds at the sample's median colour.
        QVERIFY(std::abs(fit->cast - (cast + (slope - 1) * (fit->medianIndex - 0.7))) < 4 * fit->castSigma + 0.003);
        QVERIFY2(std::abs(fit->scatter - scatter) < 4 * fit->scatterSigma + 0.004, qPrintable(QString::number(fit->scatter)));
    }

    /// Noise in the baseline's colours flattens a naive line: here by 20 %. The corrected one is within 6 %.
    void noiseDoesNotFlattenTheLine() {
        double sum = 0;
        for (unsigned long long seed = 1; seed <= 8; ++seed) sum += fitColour(stars(600, 1, 0, 0.02, 0.22, seed))->slope / 8;
        QVERIFY2(std::abs(sum - 1) < 0.06, qPrintable(QString::number(sum)));
    }

    void nothingBeyondNoiseIsSaidSo() {
        int limited = 0;
        for (unsigned long long seed = 1; seed <= 6; ++seed) limited += fitColour(stars(400, 0.8, 0, 0, 0.05, seed))->scatter < 0.02;
        QVERIFY(limited >= 5);
    }

    void tooFewOrOneColouredStarsAreRefused() {
        QVERIFY(!fitColour(stars(7, 1, 0, 0, 0.01, 1)));
        std::vector<ColourPoint> grey(100, ColourPoint{0.5, 0.01, 0.5, 0.01});
        QVERIFY(!fitColour(grey));
    }

    void theSameStarsGiveTheSameAnswer() {
        const auto points = stars(200, 0.6, 0, 0.05, 0.02, 3);
        QCOMPARE(fitColour(points)->slope, fitColour(points)->slope);
        QCOMPARE(fitColour(points)->slopeSigma, fitColour(points)->slopeSigma);
    }
};

QTEST_GUILESS_MAIN(ColourTest)
#include "colour_test.moc"
