#include "core/base/statistics.h"
#include "core/measure/harvest.h"
#include "support/scenes.h"

#include <QTest>

#include <limits>

using namespace caelumen;

class FaintStarsTest : public QObject {
    Q_OBJECT
private slots:
    /// Stars by their signal to noise: half of those at the limit, nearly all well above it, whatever the star image.
    void starsAreFoundByTheirLight_data() {
        QTest::addColumn<double>("fwhm");
        QTest::newRow("sharp") << 2.0;
        QTest::newRow("usual") << 3.2;
        QTest::newRow("wide") << 6.0;
    }
    void starsAreFoundByTheirLight() {
        QFETCH(double, fwhm);
        scenes::PlaneScene scene;
        scene.width = scene.height = 900;
        scene.stars = 0;
        auto made = scenes::make(scene);
        std::vector<Point> bright;
        for (int i = 0; i < 30; ++i) scenes::addStar(made.plane, 40.0 + 28 * i, 20.3 + 0.1 * i, 9000, fwhm, 3);
        const double sigma = findingSky(made.plane).typicalSigma();
        const double unit = sigma * 1.944 * fwhm; // what a matched filter makes of the noise, for a Moffat of this exponent
        std::array<int, 3> found{}, put{};
        std::vector<std::pair<Point, std::size_t>> strewn;
        Random random(3);
        for (int j = 0; j < 19; ++j)
            for (int i = 0; i < 20; ++i) {
                const std::size_t kind = static_cast<std::size_t>(i + j) % 3;
                const Point at{35 + 43.0 * i + random.uniform(), 70 + 43.0 * j + random.uniform()};
                scenes::addStar(made.plane, at.x, at.y, std::array{2.0, 6.0, 8.0}[kind] * unit, fwhm, 3);
                strewn.emplace_back(at, kind);
                ++put[kind];
            }
        const PlaneStars stars = findStars(made.plane, std::numeric_limits<double>::infinity());
        for (const auto& [at, kind] : strewn)
            for (const Star& s : stars.stars)
                if (length(s.x - at.x, s.y - at.y) < 0.6 * fwhm) {
                    ++found[kind];
                    if (kind == 2) QVERIFY(std::abs(s.flux / (8 * unit) - 1) < 0.6 && s.snr > 4.4 && s.snr < 15);
                    break;
                }
        QVERIFY2(found[0] < put[0] / 6, qPrintable(QString::number(found[0])));
        QVERIFY2(found[1] > put[1] * 6 / 10, qPrintable(QString("%1 of %2").arg(found[1]).arg(put[1])));
        QVERIFY2(found[2] > put[2] * 9 / 10, qPrintable(QString("%1 of %2").arg(found[2]).arg(put[2])));
        QVERIFY(stars.stars.size() < strewn.size() + 40);
    }

    /// Noise that interpolation has smoothed is no star: the filter measures what it does to the noise.
    void smoothedNoiseHoldsNoStars() {
        scenes::PlaneScene scene;
        scene.width = scene.height = 800;
        scene.stars = 25;
        auto made = scenes::make(scene);
        Plane smooth = made.plane;
        for (int y = 1; y < 800; ++y)
            for (int x = 1; x < 800; ++x)
                smooth.at(x, y) = 0.25F * (made.plane.at(x, y) + made.plane.at(x - 1, y) + made.plane.at(x, y - 1) + made.plane.at(x - 1, y - 1));
        int strangers = 0;
        for (const Star& s : findStars(smooth, std::numeric_limits<double>::infinity()).stars) {
            bool known = false;
            for (const auto& t : made.stars) known = known || std::hypot(s.x - t.x, s.y - t.y) < 12;
            strangers += !known;
        }
        QVERIFY2(strangers <= 8, qPrintable(QString::number(strangers)));
    }

    /// The noise is taken from where the filter meets no pixel without a value: a few such pixels change it by little, wherever they lie.
    void pixelsWithoutAValueTellNothingOfTheNoise() {
        scenes::PlaneScene scene;
        scene.width = scene.height = 1200;
        scene.stars = 150;
        auto made = scenes::make(scene);
        const PlaneStars whole = findStars(made.plane, std::numeric_limits<double>::infinity());
        Random random(8);
        for (int i = 0; i < 6000; ++i) {
            const int x = static_cast<int>(random.index(1200)), y = static_cast<int>(random.index(1200));
            if (!starNear(whole.stars, {static_cast<double>(x), static_cast<double>(y)}, 15)) made.plane.at(x, y) = std::numeric_limits<float>::quiet_NaN();
        }
        std::vector<double> ratios;
        const PlaneStars holed = findStars(made.plane, std::numeric_limits<double>::infinity());
        for (const Star& s : whole.stars)
            if (const Star* same = s.snr > 20 ? starNear(holed.stars, {s.x, s.y}, 0.5) : nullptr) ratios.push_back(same->snr / s.snr);
        QVERIFY(ratios.size() > 60);
        const double ratio = median(std::span<double>(ratios));
        QVERIFY2(std::abs(ratio - 1) < 0.03, qPrintable(QString::number(ratio)));
    }

    /// A line and the rim of something large are no rows of stars.
    void linesAreNoStars() {
        scenes::PlaneScene scene;
        scene.stars = 25;
        auto made = scenes::make(scene);
        const std::size_t before = findStars(made.plane, std::numeric_limits<double>::infinity()).stars.size();
        const auto noise = static_cast<float>(findingSky(made.plane).typicalSigma());
        for (int x = 0; x < made.plane.width(); ++x)
            for (int y = 200; y < 203; ++y) made.plane.at(x, y) += 1.2F * noise;
        QVERIFY(findStars(made.plane, std::numeric_limits<double>::infinity()).stars.size() < before + 12);
    }
};

QTEST_APPLESS_MAIN(FaintStarsTest)
#include "faint_stars_test.moc"
