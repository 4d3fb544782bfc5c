#include "core/base/json.h"
#include "core/optics/passband_report.h"
#include "core/optics/spacing.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Curve gaussian(double centre, double fwhm, double peak = 0.9) {
    Curve c;
    for (double nm = centre - 40; nm <= centre + 40; nm += 0.05) {
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(peak * std::exp(-4 * std::log(2.0) * std::pow((nm - centre) / fwhm, 2)));
    }
    return c;
}

/// The mean over the pupil by brute force in x and y: another way than the one tested.
double byPupil(const Curve& c, const LightCone& cone, double nm) {
    double sum = 0, n = 0;
    const double rim = 1 / (2 * cone.fRatio), lean = std::tan(cone.tilt_deg * M_PI / 180);
    for (int i = -150; i <= 150; ++i)
        for (int j = -150; j <= 150; ++j) {
            const double x = rim * i / 150, y = rim * j / 150, r2 = x * x + y * y;
            if (r2 > rim * rim || r2 < std::pow(cone.obstruction * rim, 2)) continue;
            const double tan2 = (x + lean) * (x + lean) + y * y, sine2 = tan2 / (1 + tan2);
            sum += c.at(nm / std::sqrt(1 - sine2 / (cone.effectiveIndex * cone.effectiveIndex)));
            ++n;
        }
    return sum / n;
}

} // namespace

class LightConeTest : public QObject {
    Q_OBJECT

private slots:
    void agreesWithTheMeanOverThePupil_data() {
        QTest::addColumn<double>("fRatio");
        QTest::addColumn<double>("obstruction");
        QTest::addColumn<double>("index");
        QTest::addColumn<double>("tilt");
        QTest::newRow("slow") << 7.0 << 0.0 << 1.8 << 0.0;
        QTest::newRow("fast, obstructed") << 2.0 << 0.45 << 1.8 << 0.0;
        QTest::newRow("low index") << 3.0 << 0.3 << 1.5 << 0.0;
        QTest::newRow("tilted") << 4.0 << 0.0 << 2.0 << 5.0;
        QTest::newRow("fast, obstructed, tilted") << 2.2 << 0.4 << 1.7 << 3.0;
    }
    void agreesWithTheMeanOverThePupil() {
        QFETCH(double, fRatio);
        QFETCH(double, obstruction);
        QFETCH(double, index);
        QFETCH(double, tilt);
        const LightCone cone{fRatio, obstruction, index, tilt};
        const Curve c = gaussian(656.3, 3);
        const ConeShift shift(cone);
        const Curve effective = shift.apply(c);
        for (double nm = 646; nm < 660; nm += 0.37) {
            const double expected = byPupil(c, cone, nm);
            QVERIFY(std::abs(shift.transmission(c, nm) - expected) < 0.003); // the pupil's rim is jagged in the brute force
            QVERIFY(std::abs(effective.at(nm) - shift.transmission(c, nm)) < 0.0005);
        }
    }

    // To first order the centre moves by the mean of sin^2 / (2 n^2), which for a full cone is 1 / (16 N^2 n^2).
    void theShiftIsThatOfTheTextbook() {
        const Curve c = gaussian(656.3, 6);
        const LightCone cone{5, 0, 1.9, 0};
        const auto bands = bandsOf(ConeShift(cone).apply(c));
        QCOMPARE(bands.size(), std::size_t{1});
        QVERIFY(std::abs(656.3 - bands[0].center_nm - 656.3 / (16 * 25 * 1.9 * 1.9)) < 0.02);
    }

    void parallelLightChangesNothing() {
        const Curve c = gaussian(500.7, 4);
        const Curve same = ConeShift({1000, 0, 1.8, 0}).apply(c);
        for (double nm = 490; nm < 510; nm += 0.5) QVERIFY(std::abs(same.at(nm) - c.at(nm)) < 1e-4);
    }

    void lightIsOnlySpreadNeverMade() {
        const Curve c = gaussian(656.3, 3);
        double before = 0, after = 0;
        const Curve wide = ConeShift({2, 0, 1.6, 0}).apply(c);
        for (double nm = 620; nm < 690; nm += 0.05) before += c.at(nm), after += wide.at(nm);
        QVERIFY(std::abs(after / before - ConeShift({2, 0, 1.6, 0}).meanShift()) < 0.001); // a shifted band is narrower by the shift
        QVERIFY(*std::max_element(wide.transmission.begin(), wide.transmission.end()) < 0.9);
    }

    void fasterConesLoseTheLine() {
        const Curve c = gaussian(656.3, 3);
        const FastestRatio narrow = fastestRatio(c, EmissionLine::Halpha, {}), wide = fastestRatio(gaussian(656.3, 7), EmissionLine::Halpha, {});
        QVERIFY(narrow.fRatio && wide.fRatio && *narrow.fRatio > *wide.fRatio);
        // At that very ratio it keeps nine tenths.
        QVERIFY(std::abs(ConeShift({*narrow.fRatio, 0, 1.8, 0}).transmission(c, 656.28) / c.at(656.28) - 0.9) < 0.003);
        QVERIFY(!fastestRatio(c, EmissionLine::OIII, {}).fRatio);
        // Made for fast optics: the band lies to the red of the line and only comes to it.
        const FastestRatio shifted = fastestRatio(gaussian(658.5, 3), EmissionLine::Halpha, {});
        QVERIFY(shifted.fRatio && *shifted.fRatio < *narrow.fRatio);
        QVERIFY(shifted.slowest && *shifted.slowest > *shifted.fRatio && !narrow.slowest);
        const auto passed = [&](double fRatio) { return ConeShift({fRatio, 0, 1.8, 0}).transmission(gaussian(658.5, 3), 656.28); };
        double most = 0;
        for (double n = 1.2; n < 20; n *= 1.01) most = std::max(most, passed(n));
        for (const double end : {*shifted.fRatio, *shifted.slowest})
            QVERIFY2(std::abs(passed(end) / most - 0.9) < 0.005, qPrintable(QString::number(passed(end) / most)));
        QVERIFY(most > 3 * gaussian(658.5, 3).at(656.28));                          // parallel light hardly passes
        QVERIFY(!fastestRatio(gaussian(500.6, 7), EmissionLine::Hbeta, {}).fRatio); // its oxygen comes near in the fastest cone, which is no use
    }

    void theReportHoldsEveryLineAndBand() {
        const Json json = passbandToJson(reportPassband(gaussian(656.3, 5), {2.5, 0.3, 1.8, 0}));
        QCOMPARE(json["bands"].size(), std::size_t{1});
        QVERIFY(json["bands"][0]["effective"]["center_nm"].get<double>() < 655.5);
        for (const char* line : {"Ha", "OIII", "SII", "NII", "Hb"})
            QVERIFY(json["lines"][line].contains("normal") && json["lines"][line].contains("effective"));
        QVERIFY(json["nir_mean"].is_null()); // the curve ends at 696 nm
    }

    void ghostsAndFocus() {
        QVERIFY(std::abs(ghostGap_mm(ghostRadius_px(17.5, 3.76, 6), 3.76, 6) - 17.5) < 1e-12);
        // f/5 over 10 mm: 20 mm out of focus, a disc of 4 mm.
        QVERIFY(std::abs(ghostRadius_px(10, 4, 5) - 500) < 1e-9);
        QVERIFY(std::abs(focusShift_mm(3, 1.5) - 1) < 1e-12);
    }
};

QTEST_GUILESS_MAIN(LightConeTest)
#include "light_cone_test.moc"
