#include "core/measure/harvest.h"

#include "support/scenes.h"

#include <limits>

using namespace caelumen;

/// Thousands of wings under the masks lift the sky; what is predicted must be what was left.
class StarGlowTest : public QObject {
    Q_OBJECT

private slots:
    void theSkyBetweenManyStarsComesBack() {
        scenes::PlaneScene s;
        s.width = 900;
        s.height = 600;
        s.stars = 800;
        s.faintest = 2500;
        s.brightest = 20'000;
        s.beta = 2.6; // wide wings
        s.noise = 2;
        const auto made = scenes::make(s);
        PlaneStars stars = findStars(made.plane, std::numeric_limits<double>::infinity());
        const std::vector<Region> regions{{"S1", RegionRole::Sky, RegionShape::Rect, {{100, 100}, {800, 500}}, 0, "", "", false}};
        HarvestRequest rq;
        rq.channel = "L";
        rq.view = {{}, {}, s.width, s.height};
        rq.arcsecPerStoredPixel = 2;
        rq.regions = &regions;
        const PlaneHarvest h = harvestPlane(made.plane, std::move(stars), rq);
        QVERIFY(h.hiddenPart > 0.2);
        QVERIFY2(h.sky.glow > 0.05, qPrintable(QString::number(h.sky.glow))); // there is something to take off
        // A good part of it, though not all: the crowd also hides how far the wings go.
        const double left = h.sky.mean - 100, without = left + h.sky.glow;
        QVERIFY2(std::abs(left) < 0.6 * without, qPrintable(QString("%1 of %2").arg(left).arg(without)));
    }

    void noStarsNoGlow() {
        QCOMPARE(StarGlow().at(10, 10), 0.0);
        QCOMPARE(StarGlow({}, {}, std::nullopt, 100, 100).at(50, 50), 0.0);
    }
};

QTEST_GUILESS_MAIN(StarGlowTest)
#include "star_glow_test.moc"
