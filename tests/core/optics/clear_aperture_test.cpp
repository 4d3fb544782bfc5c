#include "core/optics/clear_aperture.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

class ClearApertureTest : public QObject {
    Q_OBJECT

    /// Rays through an even grid over the cone's ring: what the closed form must equal.
    static double counted(const FilterPlace& p, double field, double clear) {
        const double chief = p.focalLength_mm > 0 ? field * (1 - p.distance_mm / p.focalLength_mm) : field, rim = p.distance_mm / (2 * p.fRatio);
        double all = 0, passed = 0;
        for (int i = 0; i < 1500; ++i)
            for (int k = 0; k < 1500; ++k) {
                const double x = rim * ((i + 0.5) / 750 - 1), y = rim * ((k + 0.5) / 750 - 1), r = std::hypot(x, y);
                if (r > rim || r < rim * p.obstruction) continue;
                all += 1;
                if (std::hypot(x + chief, y) <= clear / 2) passed += 1;
            }
        return passed / all;
    }

private slots:
    void theFormulaCountsRays() {
        const std::vector<FilterPlace> places{{20, 5, 0, 480}, {60, 2, 0, 400}, {60, 4, 0.45, 0}, {100, 7, 0.3, 900}};
        for (const FilterPlace& p : places)
            for (const double field : {0.0, 8.0, 14.0, 21.6})
                for (const double clear : {8.0, 26.0, 36.0, 45.0}) {
                    const double want = counted(p, field, clear), got = passedByAperture(p, field, clear);
                    QVERIFY2(std::abs(got - want) < 2e-3,
                             qPrintable(QString("%1 for %2 at N=%3, field %4, clear %5").arg(got).arg(want).arg(p.fRatio).arg(field).arg(clear)));
                }
    }

    void theNeededDiameterJustPassesAll() {
        for (const double field : {0.0, 10.0, 21.6}) {
            const FilterPlace p{40, 3, 0.2, 500};
            const double needed = neededAperture_mm(p, field);
            QVERIFY(std::abs(passedByAperture(p, field, needed) - 1) < 1e-6);
            QVERIFY(passedByAperture(p, field, needed - 0.5) < 1);
        }
    }

    void aFilterOnTheSensorCutsSharply() { QVERIFY(passedByAperture({0, 5, 0, 500}, 9, 20) == 1 && passedByAperture({0, 5, 0, 500}, 11, 20) == 0); }
};

QTEST_GUILESS_MAIN(ClearApertureTest)
#include "clear_aperture_test.moc"
