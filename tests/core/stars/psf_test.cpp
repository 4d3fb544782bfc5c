#include "core/measure/harvest.h"
#include "core/stars/scaled_star.h"
#include "support/scenes.h"

#include <limits>

using namespace caelumen;

class PsfTest : public QObject {
    Q_OBJECT

private slots:
    /// What an aperture adds up of pixels, each weighted by the part of it inside: by brute force, over many places of the star on the grid.
    void aperturesKnowTheirPixels_data() {
        QTest::addColumn<double>("fwhm");
        QTest::newRow("sharp") << 2.0;
        QTest::newRow("usual") << 3.0;
        QTest::newRow("wide") << 6.0;
    }
    void aperturesKnowTheirPixels() {
        QFETCH(double, fwhm);
        Psf psf;
        psf.fwhm = fwhm;
        psf.unit.beta = 3.1;
        psf.unit.cxx = psf.unit.cyy = (std::pow(2, 1 / psf.unit.beta) - 1) / (fwhm * fwhm / 4);
        psf.unit.amplitude = 1;
        psf.unit.amplitude = 1 / psf.unit.flux();
        const double radius = 1.5 * fwhm;
        double mean = 0;
        constexpr int kSide = 8, kPlaces = kSide * kSide, kParts = 25;
        for (int place = 0; place < kPlaces; ++place) {
            const double cx = (place % kSide + 0.5) / kSide, cy = (place / kSide + 0.5) / kSide; // NOLINT: whole rows
            const int reach = static_cast<int>(radius) + 2;
            for (int y = -reach; y <= reach; ++y)
                for (int x = -reach; x <= reach; ++x) {
                    int inside = 0;
                    for (int b = 0; b < kParts; ++b)
                        for (int a = 0; a < kParts; ++a) inside += std::hypot(x + (a + 0.5) / kParts - 0.5 - cx, y + (b + 0.5) / kParts - 0.5 - cy) <= radius;
                    mean += psf.light(x - cx, y - cy) * inside / (kParts * kParts * static_cast<double>(kPlaces));
                }
        }
        QVERIFY2(std::abs(mean - psf.inAperture(radius)) < 4e-4,
                 qPrintable(QString("%1 %2 %3").arg(mean).arg(psf.inAperture(radius)).arg(psf.enclosed(radius))));
    }

    void fwhmAndShapeComeBack_data() {
        QTest::addColumn<double>("fwhm");
        QTest::addColumn<double>("beta");
        QTest::addColumn<double>("ratio");
        QTest::newRow("round") << 3.2 << 3.0 << 1.0;
        QTest::newRow("sharp") << 2.2 << 3.5 << 1.0;
        QTest::newRow("soft with wings") << 5.5 << 2.5 << 1.0;
        QTest::newRow("elongated") << 3.6 << 3.0 << 0.75;
    }
    void fwhmAndShapeComeBack() {
        QFETCH(double, fwhm);
        QFETCH(double, beta);
        QFETCH(double, ratio);
        scenes::PlaneScene s;
        s.fwhm = fwhm;
        s.beta = beta;
        s.axisRatio = ratio;
        s.turn_deg = 25;
        s.stars = 70;
        const PlaneStars found = findStars(scenes::make(s).plane, std::numeric_limits<double>::infinity());
        QVERIFY(found.psf.has_value());
        QVERIFY2(std::abs(found.psf->fwhm / fwhm - 1) < 0.02, qPrintable(QString::number(found.psf->fwhm)));
        const double e = std::sqrt(1 - ratio * ratio);
        if (ratio < 1) QVERIFY2(std::abs(found.psf->eccentricity - e) < 0.04, qPrintable(QString::number(found.psf->eccentricity)));
        QVERIFY(std::abs(1 / found.psf->unit.beta - 1 / beta) < 0.06);
    }

    void moffatFormulasAgreeWithTheirIntegrals() {
        Moffat m;
        m.amplitude = 3;
        m.cxx = 0.2;
        m.cyy = 0.35;
        m.cxy = 0.05;
        m.beta = 3.2;
        double sum = 0;
        for (int y = -600; y <= 600; ++y)
            for (int x = -600; x <= 600; ++x) sum += m.amplitude * m.shape(x * 0.1, y * 0.1) * 0.01;
        QVERIFY(std::abs(sum / m.flux() - 1) < 2e-3); // the rest lies outside 60 pixels
        m.cxx = m.cyy = 0.2;
        m.cxy = 0;
        QVERIFY(std::abs(m.shape(m.fwhm() / 2, 0) - 0.5) < 1e-12);
        QCOMPARE(m.eccentricity(), 0.0);
    }

    /// The flux of a burnt-out star from its wings: within 4 % while the burnt disc is a few FWHM wide.
    void burntStarsKeepTheirFlux() {
        scenes::PlaneScene s;
        s.stars = 90;
        s.brightest = 300'000;
        s.noise = 1;
        auto made = scenes::make(s);
        const double flux = 4e6;
        scenes::addStar(made.plane, 300.4, 210.7, flux, s.fwhm, s.beta);
        for (std::size_t i = 0; i < made.plane.size(); ++i) made.plane.data()[i] = std::min(made.plane.data()[i], 30'000.0F);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        QVERIFY(found.psf);
        const auto star = scalePsf(made.plane, *found.psf, {300, 211}, 12, found.saturation, {});
        QVERIFY(star);
        QVERIFY2(std::abs(star->flux / flux - 1) < 0.04, qPrintable(QString::number(star->flux / flux)));
        QVERIFY(std::hypot(star->centre.x - 300.4, star->centre.y - 210.7) < 0.15);
    }

    void tooFewStarsGiveNoPsf() {
        scenes::PlaneScene s;
        s.stars = 1;
        QVERIFY(!findStars(scenes::make(s).plane, std::numeric_limits<double>::infinity()).psf);
    }

    /// Mean of two sites half a pixel off the middle, as the greens of a mosaic: the width that comes back is the light's, not the average's.
    void averagedSitesDoNotWidenStars() {
        Plane one = scenes::make({}).plane, other = one;
        for (std::size_t i = 0; i < one.size(); ++i) one.data()[i] = other.data()[i] = 100;
        Random random(8);
        for (int k = 0; k < 60; ++k) {
            const double x = 20 + 560 * random.uniform(), y = 20 + 380 * random.uniform(), flux = 20'000 + 60'000 * random.uniform();
            scenes::addStar(one, x - 0.25, y + 0.25, flux, 3, 3);
            scenes::addStar(other, x + 0.25, y - 0.25, flux, 3, 3);
        }
        scenes::addNoise(one, 3, 1);
        scenes::addNoise(other, 3, 2);
        for (std::size_t i = 0; i < one.size(); ++i) one.data()[i] = 0.5F * (one.data()[i] + other.data()[i]);
        const PlaneStars plain = findStars(one, std::numeric_limits<double>::infinity()),
                         undone = findStars(one, std::numeric_limits<double>::infinity(), {0.25, -0.25});
        QVERIFY(plain.psf && undone.psf);
        QVERIFY2(plain.psf->fwhm > 3.03, qPrintable(QString::number(plain.psf->fwhm)));
        QVERIFY2(std::abs(undone.psf->fwhm - 3) < 0.015, qPrintable(QString::number(undone.psf->fwhm)));
        QVERIFY(undone.psf->eccentricity < plain.psf->eccentricity);
    }

    /// The lower right corner is out of focus.
    void tiltIsTheWorstCorner() {
        Plane p = scenes::make({}).plane;
        for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = 100;
        Random random(5);
        for (int k = 0; k < 220; ++k) {
            const double x = 15 + 570 * random.uniform(), y = 15 + 390 * random.uniform();
            scenes::addStar(p, x, y, 15'000 + 30'000 * random.uniform(), x > 400 && y > 280 ? 3.9 : 3.0, 3);
        }
        scenes::addNoise(p, 3, 1);
        const PlaneStars found = findStars(p, std::numeric_limits<double>::infinity());
        QVERIFY(found.psf && found.psf->tilt);
        QVERIFY2(std::abs(*found.psf->tilt - 1.3) < 0.05, qPrintable(QString::number(*found.psf->tilt)));
        QVERIFY(std::abs(found.psf->growth) < 0.012);
    }

    void stretchingMakesBrightStarsWide() {
        Plane p = scenes::make({}).plane;
        const PlaneStars linear = findStars(p, std::numeric_limits<double>::infinity());
        for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = std::asinh((p.data()[i] - 90) / 30) * 1000;
        const PlaneStars stretched = findStars(p, std::numeric_limits<double>::infinity());
        QVERIFY(linear.psf && std::abs(linear.psf->growth) < 0.012);
        QVERIFY(stretched.psf && stretched.psf->growth > 0.05);
    }

    /// Apertures: exact sums on a flat sky within their own sigma times four.
    void aperturesRecoverFlux() {
        scenes::PlaneScene s;
        s.faintest = 20'000;
        s.stars = 40;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        const PlaneView view{{}, {}, made.plane.width(), made.plane.height()};
        const Mask mask = starMask(commonDiscs({{&found.stars, &found.psf, found.typicalNoise, view}}), view);
        const SmoothSky sky(buildMesh(made.plane, mask, 32));
        ApertureOptions o;
        o.radius = 6.4; // two FWHM: a Moffat of beta 3 has 1 / (1 + q)^2 outside
        o.pixelNoise = 3;
        const double q = std::pow(2 * o.radius / s.fwhm, 2) * (std::pow(2, 1 / s.beta) - 1), inside = 1 - std::pow(1 + q, -2);
        int measured = 0;
        for (const auto& star : made.stars) {
            const ApertureFlux f = apertureFlux(made.plane, mask, sky, {star.x, star.y}, o);
            if (!f.usable) continue;
            ++measured;
            QVERIFY2(std::abs(f.flux - star.flux * inside) < 4 * f.sigma + 0.01 * star.flux,
                     qPrintable(QString("%1 of %2").arg(f.flux).arg(star.flux * inside)));
        }
        QVERIFY(measured > 30);
        QVERIFY(!apertureFlux(made.plane, mask, sky, {2, 2}, o).usable);
    }
};

QTEST_GUILESS_MAIN(PsfTest)
#include "psf_test.moc"
