#include "core/measure/banding.h"
#include "support/scenes.h"

using namespace caelumen;

namespace {

BandingPair measured(double rowLevel, double columnLevel, bool correlated = false) {
    scenes::PlaneScene s;
    s.width = 700;
    s.height = 500;
    s.stars = 0;
    s.slope_u = 0.3;
    Plane p = scenes::make(s).plane;
    if (correlated) // as an interpolated stack
        for (int y = 0; y + 1 < s.height; ++y)
            for (int x = 0; x + 1 < s.width; ++x) p.at(x, y) = 0.25F * (p.at(x, y) + p.at(x + 1, y) + p.at(x, y + 1) + p.at(x + 1, y + 1));
    Random random(4);
    for (int y = 0; y < s.height; ++y) {
        const auto level = static_cast<float>(rowLevel * random.normal());
        for (int x = 0; x < s.width; ++x) p.at(x, y) += level;
    }
    for (int x = 0; x < s.width; ++x) {
        const auto level = static_cast<float>(columnLevel * random.normal());
        for (int y = 0; y < s.height; ++y) p.at(x, y) += level;
    }
    return measureBanding(p, {}, SmoothSky(buildMesh(p, {}, 32)), 3);
}

} // namespace

class BandingTest : public QObject {
    Q_OBJECT

private slots:
    void bandsComeBack() {
        const BandingPair b = measured(0.5, 0);
        QVERIFY(b.rows.valid && b.columns.valid);
        QVERIFY2(std::abs(std::sqrt(b.rows.variance) / 0.5 - 1) < 0.12, qPrintable(QString::number(b.rows.variance)));
        QVERIFY2(std::abs(b.columns.variance) < 4 * b.columns.sigma, qPrintable(QString("%1 +- %2").arg(b.columns.variance).arg(b.columns.sigma)));
        const BandingPair c = measured(0, 0.3);
        QVERIFY2(std::abs(std::sqrt(c.columns.variance) / 0.3 - 1) < 0.15, qPrintable(QString::number(c.columns.variance)));
        QVERIFY(std::abs(c.rows.variance) < 4 * c.rows.sigma);
    }
    void noiseAloneIsNoBanding() {
        for (const bool correlated : {false, true}) {
            const BandingPair b = measured(0, 0, correlated);
            QVERIFY(std::abs(b.rows.variance) < 4 * b.rows.sigma);
            QVERIFY(std::abs(b.columns.variance) < 4 * b.columns.sigma);
        }
    }
    void tinyFramesHaveNone() { QVERIFY(!measureBanding(Plane(20, 20, 3.0F), {}, SmoothSky(buildMesh(Plane(20, 20, 3.0F), {}, 10)), 1).rows.valid); }
};

QTEST_GUILESS_MAIN(BandingTest)
#include "banding_test.moc"
