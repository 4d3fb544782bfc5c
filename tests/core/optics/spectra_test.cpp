#include "core/optics/spectra.h"
#include "core/simulate/scene.h"
#include "core/sky/moonlight.h"

#include <QTest>

using namespace caelumen;

class SpectraTest : public QObject {
    Q_OBJECT

private slots:
    /// Wien's law: photons per nm peak at 3669.7 um K / T (photon form of the displacement law).
    void blackBodiesPeakWhereWienSays() {
        for (const double kelvin : {4000.0, 5800.0, 9000.0}) {
            const Spectrum s = blackBody(kelvin);
            double best = 0, at = 0;
            for (double nm = 100; nm < 2000; nm += 0.5)
                if (s(nm) > best) {
                    best = s(nm);
                    at = nm;
                }
            QVERIFY2(std::abs(at / (3669703.0 / kelvin) - 1) < 0.002, qPrintable(QString::number(at)));
        }
    }

    void vZeroHasItsPhotons() {
        const Spectrum flat = [](double) { return 1.0; };
        QCOMPARE(scaledToV0(flat), kPhotonsV0);
        const Spectrum twice = [](double) { return 2.0; };
        QCOMPARE(scaledToV0(twice), kPhotonsV0 / 2);
    }

    void integralOfABox() {
        QVERIFY(std::abs(integrate([](double) { return 2.0; }, [](double nm) { return nm >= 500 && nm < 600 ? 1.0 : 0.0; }) - 200) < 1.1);
    }

    void linesStandInOrder() {
        QVERIFY(kHbeta_nm < kOIIIb_nm && kOIIIb_nm < kOIII_nm && kOIII_nm < kNIIa_nm && kNIIa_nm < kHalpha_nm && kHalpha_nm < kNIIb_nm && kNIIb_nm < kSIIa_nm &&
                kSIIa_nm < kSIIb_nm);
    }

    /// Magnitudes and nanolamberts are one scale: 21.59 mag/arcsec^2 is 79 nL in Krisciunas & Schaefer (1991), section 2.
    void nanolambertsFollowTheirPaper() {
        QVERIFY2(std::abs(nanoLamberts(21.587) - 79) < 1, qPrintable(QString::number(nanoLamberts(21.587))));
        QVERIFY(std::abs(magnitudeOf(nanoLamberts(18.3)) - 18.3) < 1e-9);
    }

    void moonlightBehavesAsTheMoonDoes() {
        QCOMPARE(moonlightNanoLamberts(0, -1, 60, 60), 0.0);
        // It rises without a step: next to nothing on the horizon, and never more than a few per cent of its later light from one tenth of a degree to the
        // next.
        const double high = moonlightNanoLamberts(0, 40, 60, 60);
        QVERIFY(moonlightNanoLamberts(0, 0.01, 60, 60) < 0.01 * high);
        for (double alt = 0; alt < 60; alt += 0.1) {
            const double step = moonlightNanoLamberts(0, alt + 0.1, 60, 60) - moonlightNanoLamberts(0, alt, 60, 60);
            QVERIFY(step >= 0 && step < 0.02 * high);
        }
        const double full = moonlightNanoLamberts(0, 50, 60, 60), quarter = moonlightNanoLamberts(90, 50, 60, 60);
        QVERIFY(full / quarter > 8 && full / quarter < 15); // a quarter moon is about a tenth as bright
        QVERIFY(moonlightNanoLamberts(0, 50, 60, 20) > full);
        // Full moon makes a dark sky some 3 to 4 mag brighter.
        const double sky = magnitudeOf(nanoLamberts(21.6) + full);
        QVERIFY2(sky > 17.2 && sky < 18.9, qPrintable(QString::number(sky)));
    }

    void aFilterTakesWhatItTakes() {
        SceneRun open, narrow;
        const auto filters = demoFilters();
        open.filter = filters[0];
        narrow.filter = filters[4]; // 3 nm
        const ChannelRates a = channelRates(open, 0), b = channelRates(narrow, 0);
        QVERIFY(b.sky() < 0.05 * a.sky());
        QVERIFY(b.hydrogen > 0.6 * a.hydrogen);
        QVERIFY(b.star(10, 6000) < 0.06 * a.star(10, 6000));
        QVERIFY(std::abs(a.star(10, 6000) / a.star(12.5, 6000) - 10) < 1e-6);
    }

private:
    static std::vector<SceneFilter> demoFilters();
};

#include "core/simulate/demo.h"
std::vector<SceneFilter> SpectraTest::demoFilters() {
    return caelumen::demoFilters();
}

QTEST_GUILESS_MAIN(SpectraTest)
#include "spectra_test.moc"
