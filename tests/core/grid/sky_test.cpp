#include "core/grid/contour.h"
#include "core/grid/sky.h"
#include "core/sky/moonlight.h"

#include <QTest>

#include <algorithm>
#include <cmath>

using namespace caelumen;

/// Skies of the grid, and the lines drawn through it.
class GridSkyTest : public QObject {
    Q_OBJECT

    static constexpr auto kNatural = static_cast<std::size_t>(SkySource::Natural), kMoon = static_cast<std::size_t>(SkySource::Moon);

    static GridSky under(double illuminated, double altitude, double separation) { return skyOfReading(21.2, GridMoon{illuminated, altitude, separation}); }
    static GridChannel evenChannel() {
        GridChannel c;
        c.name = "L";
        c.sky.fill(1e6);
        return c;
    }
    static ValueGrid lattice(std::size_t columns, std::size_t rows, const std::function<double(double, double)>& f) {
        ValueGrid l{columns, rows, {}};
        for (std::size_t y = 0; y < rows; ++y)
            for (std::size_t x = 0; x < columns; ++x) l.values.push_back(f(static_cast<double>(x), static_cast<double>(y)));
        return l;
    }

private slots:
    void classesAndReadingsAgree() {
        double before = 30;
        for (int bortle = 1; bortle <= 9; ++bortle) {
            const GridSky sky = skyOfClass(bortle, std::nullopt);
            QCOMPARE(sky.bortle, std::optional(bortle));
            QVERIFY(sky.zenith_mag < before); // each class is brighter than the last
            before = sky.zenith_mag;
            const GridSky read = skyOfReading(sky.zenith_mag, std::nullopt);
            QVERIFY2(read.bortle == bortle, qPrintable(QString("class %1 is read as %2").arg(bortle).arg(read.bortle.value_or(0))));
            QVERIFY(std::abs(lightOf(read).total() - lightOf(sky).total()) < 1e-9 * lightOf(sky).total());
        }
    }

    /// What a meter reads at the zenith is the light that is counted there: lamps and natural sky make it up.
    void theZenithHasTheLightThatWasRead() {
        for (const double mag : {18.0, 19.5, 21.0, 21.7}) {
            const SkyLight light = lightOf(skyOfReading(mag, std::nullopt, 90));
            QVERIFY2(std::abs(magnitudeOf(light.lamps + light.natural) - mag) < 0.02, qPrintable(QString::number(magnitudeOf(light.total()))));
            QCOMPARE(light.moon, 0.0);
            // Lower targets stand in more of it.
            double last = light.total();
            for (const double altitude : {70.0, 50.0, 35.0, 25.0}) {
                const double there = lightOf(skyOfReading(mag, std::nullopt, altitude)).total();
                QVERIFY(there > last);
                last = there;
            }
        }
    }

    void theMoonAddsWhatItGives() {
        const double none = lightOf(skyOfReading(21.2, std::nullopt)).total();
        double last = 0;
        for (const double lit : {0.1, 0.3, 0.5, 0.8, 1.0}) { // fuller is brighter
            const SkyLight light = lightOf(under(lit, 45, 60));
            QVERIFY(light.moon > last);
            QVERIFY(std::abs(light.natural + light.lamps - none) < 1e-9 * none); // the rest stays
            last = light.moon;
        }
        QVERIFY(lightOf(under(0.8, 45, 25)).moon > lightOf(under(0.8, 45, 60)).moon); // nearer is brighter
        QVERIFY(lightOf(under(0.8, 60, 60)).moon > lightOf(under(0.8, 5, 60)).moon);  // in thick air it is not
        QCOMPARE(lightOf(under(0.8, -5, 60)).moon, 0.0);                              // nor when it is down
        // A full moon in a dark sky takes three to four magnitudes; in a city it hardly counts.
        const auto loss = [](double mag) {
            const GridMoon full{1, 50, 60};
            return 2.5 * std::log10(lightOf(skyOfReading(mag, full)).total() / lightOf(skyOfReading(mag, std::nullopt)).total());
        };
        QVERIFY2(loss(21.8) > 2.5 && loss(21.8) < 4.5, qPrintable(QString::number(loss(21.8))));
        QVERIFY2(loss(17.8) < 0.7, qPrintable(QString::number(loss(17.8))));
    }

    void phasesAreThoseOfTheDisc() {
        QVERIFY(std::abs(phaseAngleOf(1)) < 1e-9);
        QVERIFY(std::abs(phaseAngleOf(0) - 180) < 1e-9);
        QVERIFY(std::abs(phaseAngleOf(0.5) - 90) < 1e-9);
        for (double lit = 0.02; lit < 1; lit += 0.07) QVERIFY(std::abs(0.5 * (1 + std::cos(phaseAngleOf(lit) * M_PI / 180)) - lit) < 1e-12);
        for (const double beyond : {-0.2, 1.3}) QVERIFY(std::isfinite(phaseAngleOf(beyond))); // as headers can have it
    }

    /// A run's sky is known only where all that it depends on is.
    void aMomentGivesASkyOnlyWhenItIsKnown() {
        SkyMoment m;
        m.moon.alt_deg = -10;
        QVERIFY(skyOfMoment(m, 21, 4).has_value()); // no moon: the target's height hardly matters
        QCOMPARE(skyOfMoment(m, 21, 4)->altitude_deg, 60.0);
        m.moon.alt_deg = 30, m.moonIlluminated = 0.7;
        QVERIFY(!skyOfMoment(m, 21, 4)); // the moon is up, and nobody knows how far from it
        m.target = Horizontal{40, 120};
        m.moonSeparation_deg = 70;
        const auto sky = skyOfMoment(m, 21, 4);
        QVERIFY(sky && sky->moon);
        QCOMPARE(sky->altitude_deg, 40.0);
        QVERIFY(*sky->moon == (GridMoon{0.7, 30, 70}));
        QCOMPARE(sky->bortle, std::optional(4));
        m.target = Horizontal{-3, 120};
        QVERIFY(!skyOfMoment(m, 21, 4));
        m.moon.alt_deg = -10;
        QVERIFY(!skyOfMoment(m, 21, 4)); // below the horizon there is nothing to see
    }

    void backgroundsGoWithShareApertureAndPixel() {
        const GridChannel c = evenChannel();
        PlanRig rig;
        const GridSky sky = skyOfReading(19.3, GridMoon{0.6, 40, 70});
        const std::array<double, kLamps> towns{0.5, 0.1, 0.1, 0.2, 0.1};
        const auto whole = backgroundParts(c, sky, towns, rig);
        const SkyLight light = lightOf(sky);
        // Equal sensitivity to all light: parts are as the light's, as near as the constants between nanolamberts and magnitudes are rounded.
        for (std::size_t k = 0; k < kLamps; ++k) QVERIFY(std::abs(whole[k] / whole[kNatural] / (light.lamps * towns[k] / light.natural) - 1) < 1e-4);
        QVERIFY(std::abs(whole[kMoon] / whole[kNatural] / (light.moon / light.natural) - 1) < 1e-4);
        PlanRig wide = rig;
        wide.aperture_mm *= 2;
        PlanRig coarse = rig;
        coarse.pixel_um *= 3;
        PlanRig obstructed = rig;
        obstructed.obstruction = 0.5;
        for (std::size_t k = 0; k < kSkySources; ++k) {
            QVERIFY(std::abs(backgroundParts(c, sky, towns, wide)[k] / whole[k] - 4) < 1e-9);
            QVERIFY(std::abs(backgroundParts(c, sky, towns, coarse)[k] / whole[k] - 9) < 1e-9);
            QVERIFY(std::abs(backgroundParts(c, sky, towns, obstructed)[k] / whole[k] - 0.75) < 1e-9);
        }
        GridChannel blind = c; // a filter that stops sodium stops nothing else
        blind.sky[0] = blind.sky[1] = 0;
        const auto filtered = backgroundParts(blind, sky, towns, rig);
        QCOMPARE(filtered[0] + filtered[1], 0.0);
        for (std::size_t k = 2; k < kSkySources; ++k) QCOMPARE(filtered[k], whole[k]);
        QCOMPARE(backgroundParts(c, skyOfReading(19.3, std::nullopt), towns, rig)[kMoon], 0.0);
    }

    /// Lines of a plane are straight and lie where it has the value, whichever way it slopes.
    void linesOfAPlaneAreExact() {
        for (const auto& [a, b] : {std::pair{1.0, 0.0}, {0.0, 1.0}, {0.7, -0.4}, {-0.3, -0.9}}) {
            const auto f = [a, b](double x, double y) { return a * x + b * y + 3; };
            const auto pieces = contour(lattice(9, 7, f), f(4.3, 2.8));
            QVERIFY(!pieces.empty());
            for (const ContourPiece& c : pieces)
                for (const Point& p : {c.from, c.to}) {
                    QVERIFY(std::abs(f(p.x, p.y) - f(4.3, 2.8)) < 1e-12);
                    QVERIFY(p.x >= 0 && p.x <= 8 && p.y >= 0 && p.y <= 6);
                }
        }
    }

    /// Within the lattice every piece goes on in another one: lines end at its border or close.
    void linesDoNotBreakOff() {
        const auto wavy = [](double x, double y) { return std::sin(0.9 * x) * std::cos(0.7 * y) + 0.1 * std::sin(2.3 * x + y); };
        const ValueGrid l = lattice(24, 18, wavy);
        for (const double level : {-0.4, 0.013, 0.5}) {
            const auto pieces = contour(l, level);
            QVERIFY(pieces.size() > 10);
            for (const ContourPiece& one : pieces)
                for (const Point& end : {one.from, one.to}) {
                    if (end.x < 1e-9 || end.y < 1e-9 || end.x > 23 - 1e-9 || end.y > 17 - 1e-9) continue;
                    const auto meets = [&](const Point& p) { return std::hypot(p.x - end.x, p.y - end.y) < 1e-9; };
                    const auto n = std::count_if(pieces.begin(), pieces.end(), [&](const ContourPiece& c) { return meets(c.from) || meets(c.to); });
                    QVERIFY2(n == 2, qPrintable(QString("%1 pieces meet at %2 %3").arg(n).arg(end.x).arg(end.y)));
                }
        }
    }

    /// Turned round or shifted in value, the lines are the same lines; saddles too.
    void linesFollowTheLattice() {
        const auto f = [](double x, double y) { return std::sin(1.7 * x + 0.3) * std::sin(1.9 * y + 0.2); };
        const auto length = [](const std::vector<ContourPiece>& pieces) {
            double sum = 0;
            for (const ContourPiece& c : pieces) sum += std::hypot(c.to.x - c.from.x, c.to.y - c.from.y);
            return sum;
        };
        const double here = length(contour(lattice(15, 15, f), 0.07));
        QVERIFY(here > 5);
        const auto same = [&](const std::vector<ContourPiece>& pieces) { return std::abs(length(pieces) - here) < 1e-9 * here; };
        QVERIFY(same(contour(lattice(15, 15, [&](double x, double y) { return f(y, x); }), 0.07)));
        QVERIFY(same(contour(lattice(15, 15, [&](double x, double y) { return f(14 - x, y); }), 0.07)));
        QVERIFY(same(contour(lattice(15, 15, [&](double x, double y) { return f(x, 14 - y); }), 0.07)));
        QVERIFY(same(contour(lattice(15, 15, [&](double x, double y) { return f(x, y) + 40; }), 40.07)));
        QVERIFY(same(contour(lattice(15, 15, [&](double x, double y) { return -f(x, y); }), -0.07)));
        // What is smaller than a square has no lines.
        QVERIFY(contour(lattice(1, 5, f), 0.07).empty() && contour(lattice(5, 1, f), 0.07).empty() && contour({}, 0).empty());
    }
};

QTEST_GUILESS_MAIN(GridSkyTest)
#include "sky_test.moc"
