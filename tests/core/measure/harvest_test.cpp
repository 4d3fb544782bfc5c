#include "core/measure/harvest.h"
#include "core/stars/saturation.h"
#include "support/scenes.h"

#include <algorithm>
#include <cmath>

using namespace caelumen;

namespace {

const std::vector<Region>& regions() {
    static const std::vector<Region> all{{"S1", RegionRole::Sky, RegionShape::Rect, {{59.5, 59.5}, {299.5, 339.5}}, 0, "", "", false},
                                         {"N1", RegionRole::Nebula, RegionShape::Rect, {{379.5, 119.5}, {519.5, 299.5}}, 0, "", "", false}};
    return all;
}

scenes::PlaneScene sceneOf(double slope = 0) {
    scenes::PlaneScene s;
    s.noise = 4, s.slope_u = slope, s.seed = 23;
    return s;
}

PlaneHarvest harvestOf(const Plane& plane, const std::vector<Region>& of = regions()) {
    HarvestRequest rq;
    rq.channel = "L";
    rq.view = {{}, {}, plane.width(), plane.height()};
    rq.arcsecPerStoredPixel = 2;
    rq.regions = &of;
    return harvestPlane(plane, findStars(plane, kNeverSaturated), rq);
}

Plane mirrored(const Plane& p) {
    Plane out(p.width(), p.height());
    for (int y = 0; y < p.height(); ++y)
        for (int x = 0; x < p.width(); ++x) out.at(x, y) = p.at(p.width() - 1 - x, y);
    return out;
}

std::vector<Region> mirrored(std::vector<Region> of, int width) {
    for (Region& r : of)
        for (Point& p : r.points) p.x = width - 1 - p.x;
    return of;
}

} // namespace

/// What is taken from a plane's pixels, against what was put in.
class HarvestTest : public QObject {
    Q_OBJECT

private slots:
    void skyAndNoiseAreThoseThatWerePutIn() {
        const auto made = scenes::make(sceneOf());
        const PlaneHarvest h = harvestOf(made.plane);
        QVERIFY2(h.sky.used > 40'000 && h.sky.used <= h.sky.inside, qPrintable(QString::number(h.sky.used)));
        const double error = 4 / std::sqrt(static_cast<double>(h.sky.used));
        QVERIFY2(std::abs(h.sky.mean - 100) < 6 * error, qPrintable(QString::number((h.sky.mean - 100) / error))); // wings of 120 stars are left in part
        QVERIFY2(std::abs(h.noise.value - 4) < 0.1, qPrintable(QString::number(h.noise.value)));
        QVERIFY2(std::abs(h.sky.pixelSigma - 4) < 0.15, qPrintable(QString::number(h.sky.pixelSigma)));
        QCOMPARE(h.boxSide, 5);
        QVERIFY(!h.boxes.all.empty() && h.halfBoxes.all.empty() && h.hiddenPart > 0 && h.hiddenPart < 0.4);
        QVERIFY(h.regions.count("S1") && h.regions.count("N1"));
    }

    /// A slope shows in the mean of a region as far as it lies from the middle, and its place says how far.
    void meansAreAtTheirPlaces() {
        const auto made = scenes::make(sceneOf(0.1));
        const PlaneHarvest h = harvestOf(made.plane);
        const RegionSum &s = h.regions.at("S1"), &n = h.regions.at("N1");
        const double slope = (n.mean - s.mean) / (n.basis.u - s.basis.u);
        QVERIFY2(std::abs(slope - 10) < 0.8, qPrintable(QString::number(slope)));
    }

    void nothingChangesInAMirror() {
        const auto made = scenes::make(sceneOf(0.05));
        const PlaneHarvest a = harvestOf(made.plane), b = harvestOf(mirrored(made.plane), mirrored(regions(), made.plane.width()));
        QCOMPARE(b.sky.inside, a.sky.inside);
        const double error = 4 / std::sqrt(static_cast<double>(a.sky.used));
        QVERIFY(std::abs(b.sky.mean - a.sky.mean) < error);
        const double off = std::hypot(b.sky.basis.u + a.sky.basis.u, b.sky.basis.v - a.sky.basis.v);
        QVERIFY2(off < 0.004, qPrintable(QString::number(off))); // cells begin at the left border: a mirrored frame is cut into others
        QVERIFY(std::abs(b.noise.value - a.noise.value) < 0.05);
        QVERIFY(std::abs(b.hiddenPart - a.hiddenPart) < 0.02); // how far wings are followed hangs on the cells too
    }

    /// Pixels that are not there count nowhere, and pull nothing.
    void missingPixelsAreLeftOut() {
        auto made = scenes::make(sceneOf());
        const PlaneHarvest whole = harvestOf(made.plane);
        for (int y = 100; y < 200; ++y)
            for (int x = 0; x < made.plane.width(); ++x) made.plane.at(x, y) = kNoData;
        const PlaneHarvest h = harvestOf(made.plane);
        QVERIFY(h.sky.used < whole.sky.used && h.sky.used > whole.sky.used / 2);
        const double error = 4 / std::sqrt(static_cast<double>(h.sky.used));
        QVERIFY(std::isfinite(h.sky.mean) && std::abs(h.sky.mean - whole.sky.mean) < 4 * error);
    }

    /// Whatever all runs hide is hidden here too, also where this plane shows nothing.
    void starsOfOtherRunsAreHiddenToo() {
        scenes::PlaneScene s = sceneOf();
        s.stars = 0;
        const auto made = scenes::make(s);
        HarvestRequest rq;
        rq.channel = "L";
        rq.view = {{}, {}, s.width, s.height};
        rq.arcsecPerStoredPixel = 2;
        rq.regions = &regions();
        rq.discs = std::make_shared<const std::vector<StarDisc>>(std::vector<StarDisc>{{{200, 200}, 40}});
        const PlaneHarvest h = harvestPlane(made.plane, findStars(made.plane, kNeverSaturated), rq);
        QVERIFY(std::abs(h.hiddenPart - M_PI * 1600 / (600.0 * 420)) < 0.001);
        QVERIFY(h.sky.inside - h.sky.used >= 5000);
    }

    void photometryTakesLonelyStarsBrightestFirst() {
        const auto made = scenes::make(sceneOf());
        const PlaneStars stars = findStars(made.plane, kNeverSaturated);
        const PlaneView view{{}, {}, made.plane.width(), made.plane.height()};
        const auto all = photometryStars(stars, view), few = photometryStars(stars, view, 10);
        QVERIFY(all.size() > 20 && few.size() == 10);
        for (std::size_t i = 0; i < few.size(); ++i) QVERIFY(few[i].x == all[i].x && few[i].y == all[i].y);
        const auto fluxAt = [&](Point p) {
            const auto near = std::min_element(stars.stars.begin(), stars.stars.end(), [&](const Star& a, const Star& b) {
                return std::hypot(a.x - p.x, a.y - p.y) < std::hypot(b.x - p.x, b.y - p.y);
            });
            return near->flux;
        };
        for (std::size_t i = 1; i < all.size(); ++i) QVERIFY(fluxAt(all[i - 1]) >= fluxAt(all[i]));
        for (const Point& p : all)
            for (const Star& s : stars.stars)
                if (s.blended || s.saturated) QVERIFY(std::hypot(s.x - p.x, s.y - p.y) > 0.5);
    }
};

QTEST_GUILESS_MAIN(HarvestTest)
#include "harvest_test.moc"
