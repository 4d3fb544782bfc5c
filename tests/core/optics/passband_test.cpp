#include "core/optics/passband.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

/// Flat-topped bands whose half-peak points lie at centre +- fwhm / 2 by construction.
struct Shape {
    double centre, fwhm, peak;
};

Curve curveOf(const std::vector<Shape>& bands, double floor = 0, double from = 350, double to = 1100, double step = 0.1) {
    Curve c;
    for (double nm = from; nm <= to + 1e-9; nm += step) {
        double t = floor;
        for (const Shape& b : bands) t += b.peak * std::exp(-std::log(2.0) * std::pow(std::abs(nm - b.centre) / (b.fwhm / 2), 4));
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(std::min(1.0, t));
    }
    return c;
}

} // namespace

class PassbandTest : public QObject {
    Q_OBJECT

private slots:
    void bandsAreFoundWhereTheyWereMade() {
        const std::vector<Shape> made{{486.1, 5, 0.6}, {500.7, 5, 0.9}, {656.3, 3, 0.95}, {672.4, 6, 0.5}};
        const auto bands = bandsOf(curveOf(made));
        QCOMPARE(bands.size(), made.size());
        for (std::size_t i = 0; i < made.size(); ++i) {
            QVERIFY2(std::abs(bands[i].center_nm - made[i].centre) < 0.005,
                     qPrintable(QString::number(bands[i].center_nm))); // linear between points 0.1 nm apart
            QVERIFY(std::abs(bands[i].fwhm_nm - made[i].fwhm) < 0.01);
            QVERIFY(std::abs(bands[i].peak - made[i].peak) < 0.001);
            QVERIFY(!bands[i].openLow && !bands[i].openHigh);
        }
    }

    // A trapezium: crossings known exactly.
    void crossingsAreInterpolated() {
        const Curve c{{500, 510, 520, 530}, {0, 0.8, 0.8, 0}};
        const auto bands = bandsOf(c);
        QCOMPARE(bands.size(), std::size_t{1});
        QCOMPARE(bands[0].low_nm, 505.0);
        QCOMPARE(bands[0].high_nm, 525.0);
        QCOMPARE(bands[0].center_nm, 515.0);
        QCOMPARE(bands[0].fwhm_nm, 20.0);
    }

    void dipsThatStayAboveTheHalfDoNotSplit() {
        const Curve shallow{{500, 510, 515, 520, 530}, {0, 0.8, 0.5, 0.7, 0}}, deep{{500, 510, 515, 520, 530}, {0, 0.8, 0.3, 0.7, 0}};
        QCOMPARE(bandsOf(shallow).size(), std::size_t{1});
        QCOMPARE(bandsOf(deep).size(), std::size_t{2});
    }

    void rippleAtTheFootAndLeaksAreNoBands() {
        Curve c = curveOf({{656.3, 3, 0.9}, {540, 8, 0.04}});
        for (std::size_t i = 0; i < c.transmission.size(); ++i)
            c.transmission[i] = std::max(0.0, c.transmission[i] + 0.002 * std::sin(40 * c.wavelength_nm[i]));
        const auto bands = bandsOf(c);
        QCOMPARE(bands.size(), std::size_t{1});
        QVERIFY(std::abs(bands[0].center_nm - 656.3) < 0.02);
    }

    void aCurveThatEndsHighIsOpen() {
        const Curve c{{600, 690, 710, 1000}, {0, 0, 0.9, 0.9}};
        const auto bands = bandsOf(c);
        QCOMPARE(bands.size(), std::size_t{1});
        QVERIFY(bands[0].openHigh && !bands[0].openLow);
        QCOMPARE(bands[0].high_nm, 1000.0);
    }

    void nothingIsNoBand() {
        QVERIFY(bandsOf({}).empty());
        QVERIFY(bandsOf(curveOf({}, 0.01)).empty());
    }

    void doubletsAreOneFigure() {
        const Curve slope{{600, 700}, {0, 1}};
        QVERIFY(std::abs(transmissionAt(slope, EmissionLine::SII) - 0.7236) < 1e-9); // middle of 671.64 and 673.08
        QVERIFY(std::abs(transmissionAt(slope, EmissionLine::NII) - 0.5835) < 1e-9);
        QCOMPARE(transmissionAt(slope, EmissionLine::OIII), 0.0); // outside the curve
    }

    // The floor is all that leaks: its density is known.
    void leaksAreTheFloor() {
        const Curve c = curveOf({{656.3, 3, 0.9}}, 0.001);
        const Leaks leaks = leaksOf(c, bandsOf(c));
        QVERIFY(std::abs(*leaks.meanDensity - 3) < 0.001);
        QVERIFY(std::abs(*leaks.worstDensity - 3) < 0.001);
        QVERIFY(std::abs(*leaks.nearInfrared - 0.001) < 1e-6);
    }

    void theWorstLeakHasItsPlace() {
        const Curve c = curveOf({{656.3, 3, 0.9}, {540, 4, 0.03}}, 1e-5);
        const Leaks leaks = leaksOf(c, bandsOf(c));
        QVERIFY(std::abs(*leaks.worst_nm - 540) < 0.2);
        QVERIFY(std::abs(*leaks.worstDensity + std::log10(0.03001)) < 0.001);
        QVERIFY(*leaks.meanDensity > 3); // four nanometres of 290
    }

    void whatTheCurveDoesNotCoverIsAbsent() {
        const Curve c = curveOf({{550, 300, 0.9}}, 0, 380, 720, 1);
        const Leaks leaks = leaksOf(c, bandsOf(c));
        QVERIFY(!leaks.nearInfrared && !leaks.meanDensity);
    }
};

QTEST_GUILESS_MAIN(PassbandTest)
#include "passband_test.moc"
