#include "core/measure/harvest.h"
#include "support/scenes.h"

#include <limits>

using namespace caelumen;

namespace {

struct Night {
    double radius = 70, hole = 0, fraction = 0.01;
    double offset = 0;
    double slope = 0; ///< of a nebula across the star, per pixel
    double tilt = 0;  ///< of the sky, per pixel along x
    double starFlux = 3e6;
    double step = 0; ///< of light on the right-hand side of the star alone, within 80 pixels
    double fwhm = scenes::PlaneScene{}.fwhm;
    int stars = 60;
};

HaloProfile profileOf(const Night& n, bool withHalo, unsigned long long seed) {
    scenes::PlaneScene s;
    s.width = 520;
    s.height = 480;
    s.noise = 2;
    s.stars = n.stars;
    s.fwhm = n.fwhm;
    s.seed = 21; // the same stars in both
    auto made = scenes::make(s);
    const double cx = 260.3, cy = 240.6;
    scenes::addStar(made.plane, cx, cy, n.starFlux, s.fwhm, s.beta);
    if (withHalo && n.fraction > 0) scenes::addDisc(made.plane, cx + n.offset, cy, n.radius, n.hole, n.fraction * n.starFlux);
    if (n.slope != 0)
        for (int y = 0; y < s.height; ++y)
            for (int x = 0; x < s.width; ++x) made.plane.at(x, y) += static_cast<float>(withHalo ? n.slope * std::hypot(x - 100.0, y - 80.0) : 0);
    if (n.tilt != 0)
        for (int y = 0; y < s.height; ++y)
            for (int x = 0; x < s.width; ++x) made.plane.at(x, y) += static_cast<float>(withHalo ? n.tilt * x : 0);
    if (n.step != 0 && withHalo)
        for (int y = 0; y < s.height; ++y)
            for (int x = 260; x < s.width; ++x)
                if (std::hypot(x - cx, y - cy) < 80) made.plane.at(x, y) += static_cast<float>(n.step);
    scenes::addNoise(made.plane, 0.5, seed);
    for (std::size_t i = 0; i < made.plane.size(); ++i) made.plane.data()[i] = std::min(made.plane.data()[i], 40'000.0F);
    const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
    const auto profile = measureHaloProfile(made.plane, {cx + 2, cy - 1}, 170, found.psf, found.stars, found.typicalNoise, found.saturation, 1);
    if (!profile) qFatal("%s", profile.error().message.c_str());
    return *profile;
}

HaloExcess excessOf(const Night& n, double expected = 70) {
    return haloExcess(profileOf(n, true, 5), profileOf(n, false, 6), 1, n.hole / n.radius, expected);
}

} // namespace

class HaloTest : public QObject {
    Q_OBJECT

private slots:
    /// The edge of nebula on one side steps down at a radius too, and is no ring.
    void aStepOnOneSideIsNoRing() {
        Night n;
        n.fraction = 0;
        n.step = 3;
        const HaloExcess e = excessOf(n);
        QVERIFY2(e.rings.empty(), qPrintable(QString::number(e.rings.empty() ? 0 : e.rings.front().radius)));
    }

    /// A star image that is wider by a tenth lights the wings of every star: no disc, and none is added to the one that is there.
    void anotherFocusIsNoHalo() {
        Night n;
        n.radius = 45;
        n.stars = 200;
        n.fwhm = 4;
        const HaloProfile sharp = profileOf(n, false, 6);
        n.fwhm = 4.4;
        QVERIFY(haloExcess(profileOf(n, false, 5), sharp, 1, 0, 45).rings.empty());
        const HaloExcess e = haloExcess(profileOf(n, true, 7), sharp, 1, 0, 45);
        QCOMPARE(e.rings.size(), std::size_t{1});
        QVERIFY2(std::abs(e.rings[0].fraction / 0.01 - 1) < 0.06, qPrintable(QString::number(e.rings[0].fraction)));
        QVERIFY2(std::abs(e.rings[0].radius - 45) < 1.0, qPrintable(QString::number(e.rings[0].radius)));
        // What a plot shows: between the star and the edge the excess lies on the plateau only when the focus is off it.
        double as = 0, without = 0;
        int bins = 0;
        for (std::size_t i = 16; i < 26; ++i, ++bins) {
            as += std::abs(e.value[i] / e.rings[0].plateau - 1);
            without += std::abs((e.value[i] - e.focus[i]) / e.rings[0].plateau - 1);
        }
        QVERIFY2(without / bins < 0.15 && as > 2 * without, qPrintable(QString("%1 %2").arg(as / bins).arg(without / bins)));
    }

    void aDiscComesBack_data() {
        QTest::addColumn<double>("radius");
        QTest::addColumn<double>("fraction");
        QTest::newRow("middle") << 70.0 << 0.01;
        QTest::newRow("small") << 38.0 << 0.01;
        QTest::newRow("large and faint") << 110.0 << 0.012;
    }
    void aDiscComesBack() {
        QFETCH(double, radius);
        QFETCH(double, fraction);
        Night n;
        n.radius = radius;
        n.fraction = fraction;
        const HaloExcess e = excessOf(n);
        QCOMPARE(e.rings.size(), std::size_t{1});
        const HaloRing& r = e.rings[0];
        QVERIFY2(std::abs(r.radius - radius) < 4 * r.radiusSigma + 0.5, qPrintable(QString("%1 +- %2").arg(r.radius).arg(r.radiusSigma)));
        QVERIFY2(std::abs(r.fraction / fraction - 1) < 0.08, qPrintable(QString::number(r.fraction)));
        const double plateau = fraction / (M_PI * radius * radius);
        QVERIFY2(std::abs(r.plateau / plateau - 1) < 0.08, qPrintable(QString::number(r.plateau / plateau)));
    }

    void aRingOfAnObstructedTelescope() {
        Night n;
        n.radius = 80;
        n.hole = 28;
        const HaloExcess e = excessOf(n);
        QCOMPARE(e.rings.size(), std::size_t{1});
        QVERIFY(std::abs(e.rings[0].radius - 80) < 1.5);
        QVERIFY(std::abs(e.rings[0].inner - 28) < 2);
        QVERIFY2(std::abs(e.rings[0].fraction / n.fraction - 1) < 0.1, qPrintable(QString::number(e.rings[0].fraction)));
    }

    /// A hole of any size, in front of a telescope without any: found, and as wide as it is.
    void holesAreFree_data() {
        QTest::addColumn<double>("hole");
        for (const double hole : {0.0, 0.35, 0.5, 0.74, 0.9}) QTest::addRow("%g", hole) << hole;
    }
    void holesAreFree() {
        QFETCH(double, hole);
        Night n;
        n.radius = 60;
        n.hole = hole * n.radius;
        n.fraction = 0.01;
        const HaloExcess e = haloExcess(profileOf(n, true, 5), profileOf(n, false, 6), 1, 0, 70);
        QCOMPARE(e.rings.size(), std::size_t{1});
        const HaloRing& r = e.rings[0];
        QVERIFY2(std::abs(r.radius - 60) < 1.5, qPrintable(QString("%1 hole %2 offset %3 +- %4").arg(r.radius).arg(r.hole).arg(r.offset).arg(r.offsetSigma)));
        QVERIFY2(std::abs(r.fraction - 0.01) < std::max(4 * r.fractionSigma, 0.0008), qPrintable(QString("%1 +- %2").arg(r.fraction).arg(r.fractionSigma)));
        QCOMPARE(r.holeSeen, hole > 0);
        if (hole > 0)
            QVERIFY2(std::abs(r.hole - hole) < std::max(4 * r.holeSigma, 0.03), qPrintable(QString("%1 +- %2").arg(r.hole).arg(r.holeSigma)));
        else
            QVERIFY(r.holeMost > 0 && r.holeMost < 0.6);
    }

    void nebulaUnderTheStarIsNoHalo() {
        Night n;
        n.slope = 0.08;
        const HaloExcess with = excessOf(n);
        QCOMPARE(with.rings.size(), std::size_t{1});
        QVERIFY2(std::abs(with.rings[0].fraction / n.fraction - 1) < 0.15, qPrintable(QString::number(with.rings[0].fraction)));
        n.fraction = 0;
        QVERIFY(excessOf(n).rings.empty());
    }

    void noHaloGivesALimitThatHolds() {
        Night n;
        n.fraction = 0;
        const HaloExcess e = excessOf(n);
        QVERIFY(e.rings.empty());
        QVERIFY(e.limit > 0);
        QVERIFY(std::abs(e.limitRadius - 70) < 1);
        // Far below what was found above.
        QVERIFY(e.limit < 0.3 * 0.01 / (M_PI * 70 * 70));
    }

    void aShiftedDiscTellsItsOffset() {
        Night n;
        n.offset = 7;
        n.fraction = 0.02;
        const HaloExcess e = excessOf(n);
        QCOMPARE(e.rings.size(), std::size_t{1});
        QVERIFY2(std::abs(e.rings[0].offset - 7) < 1.8, qPrintable(QString::number(e.rings[0].offset)));
        QVERIFY2(std::abs(e.rings[0].offsetAngle_deg) < 15, qPrintable(QString::number(e.rings[0].offsetAngle_deg)));
    }

    /// The sky's slope carries a moment too, which must neither shift the disc nor smear its edge.
    void aTiltedSkyShiftsNothing() {
        Night n;
        n.fraction = 0.01;
        n.tilt = 0.03;
        const HaloExcess e = excessOf(n);
        QCOMPARE(e.rings.size(), std::size_t{1});
        QVERIFY2(e.rings[0].offset < 3.5 * e.rings[0].offsetSigma, qPrintable(QString("%1 +- %2").arg(e.rings[0].offset).arg(e.rings[0].offsetSigma)));
        QVERIFY2(std::abs(e.rings[0].fraction / n.fraction - 1) < 0.08, qPrintable(QString::number(e.rings[0].fraction)));
    }

    void placesWithoutAStarAreRefused() {
        scenes::PlaneScene s;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        QVERIFY(!measureHaloProfile(made.plane, {-50, 10}, 100, found.psf, found.stars, 3, 1e9, 1).ok());
        QVERIFY(!measureHaloProfile(made.plane, {100, 100}, 100, std::nullopt, found.stars, 3, 1e9, 1).ok());
    }
};

QTEST_GUILESS_MAIN(HaloTest)
#include "halo_test.moc"
