#include "core/measure/harvest.h"
#include "support/scenes.h"

using namespace caelumen;

/// Thousands of wings under the masks lift the sky; what is predicted must be what was left.
class UnmaskedStarlightTest : public QObject {
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
        PlaneStars stars = findStars(made.plane, kNeverSaturated);
        const std::vector<Region> regions{{"S1", RegionRole::Sky, RegionShape::Rect, {{100, 100}, {800, 500}}, 0, "", "", false}};
        HarvestRequest rq;
        rq.channel = "L";
        rq.view = {{}, {}, s.width, s.height};
        rq.arcsecPerStoredPixel = 2;
        rq.regions = &regions;
        const PlaneHarvest h = harvestPlane(made.plane, std::move(stars), rq);
        QVERIFY(h.hiddenPart > 0.2);
        QVERIFY2(h.sky.starlight > 0.05, qPrintable(QString::number(h.sky.starlight))); // there is something to take off
        // A good part of it, though not all: the crowd also hides how far the wings go.
        const double left = h.sky.mean - 100, without = left + h.sky.starlight;
        QVERIFY2(std::abs(left) < 0.6 * without, qPrintable(QString("%1 of %2").arg(left).arg(without)));
    }

    /// A prediction of half or twice the light that is there comes right by the cells that have more of it than their neighbours.
    void theSkyItselfSetsTheScale_data() {
        QTest::addColumn<double>("part");
        QTest::newRow("half") << 0.5;
        QTest::newRow("as it is") << 1.0;
        QTest::newRow("twice") << 2.0;
    }
    void theSkyItselfSetsTheScale() {
        QFETCH(double, part);
        scenes::PlaneScene s;
        s.width = 900;
        s.height = 600;
        s.stars = 900;
        s.faintest = 2500;
        s.brightest = 40'000;
        s.noise = 1;
        const auto made = scenes::make(s);
        PlaneStars found = findStars(made.plane, kNeverSaturated);
        QVERIFY(found.psf.has_value());
        for (Star& star : found.stars) star.flux *= part;
        const std::vector<double> hidden(found.stars.size(), 7);
        std::vector<StarDisc> discs;
        for (const Star& star : found.stars) discs.push_back({{star.x, star.y}, 7});
        const Mask mask = starMask(discs, {{}, {}, s.width, s.height});
        UnmaskedStarlight starlight(found.stars, hidden, found.psf, s.width, s.height);
        const BackgroundMesh mesh = buildMesh(made.plane, mask, 25);
        const std::vector<double> light = starlight.calibrate(mesh, mask);
        double left = 0, before = 0, n = 0;
        for (std::size_t i = 0; i < light.size(); ++i) {
            if (mesh.cells[i].used == 0) continue;
            left += mesh.cells[i].level - light[i] - 100, before += mesh.cells[i].level - 100, n += 1;
        }
        QVERIFY2(before / n > 0.3, qPrintable(QString::number(before / n)));
        QVERIFY2(std::abs(left) < 0.2 * before, qPrintable(QString("%1 of %2").arg(left / n).arg(before / n)));
    }

    /// Rounded to whole numbers a quiet sky has no scatter at all: the prediction stands, and nothing is divided by that.
    void aSkyWithoutScatterLeavesThePrediction() {
        scenes::PlaneScene s;
        s.stars = 40;
        s.noise = 2;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, kNeverSaturated);
        QVERIFY(found.psf.has_value());
        UnmaskedStarlight starlight(found.stars, std::vector<double>(found.stars.size(), 6), found.psf, s.width, s.height);
        const double before = starlight.at(300, 200);
        const Plane flat(s.width, s.height, 100.0F);
        for (const double l : starlight.calibrate(buildMesh(flat, {}, 24), {})) QVERIFY(std::isfinite(l));
        QVERIFY(std::isfinite(starlight.at(300, 200)) && starlight.at(300, 200) <= before);
    }

    /// The mean over a cell is that of every fourth pixel of every fourth of its rows, where nothing hides it; any size of cell, the last ones cut or
    /// stretched.
    void cellsHoldTheMeanOfTheirPixels_data() {
        QTest::addColumn<int>("cell");
        for (const int cell : {24, 37, 50, 64, 128}) QTest::addRow("%d", cell) << cell;
    }
    void cellsHoldTheMeanOfTheirPixels() {
        QFETCH(const int, cell);
        scenes::PlaneScene s;
        s.width = 611;
        s.height = 403;
        s.stars = 200;
        s.brightest = 40'000;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, kNeverSaturated);
        const UnmaskedStarlight starlight(found.stars, std::vector<double>(found.stars.size(), 5), found.psf, s.width, s.height);
        std::vector<StarDisc> discs;
        for (const Star& star : found.stars) discs.push_back({{star.x, star.y}, 5});
        discs.push_back({{300, 200}, 150}); // some cells are hidden altogether
        for (const Mask& mask : {starMask(discs, {{}, {}, s.width, s.height}), Mask()}) {
            const BackgroundMesh mesh = buildMesh(made.plane, mask, cell, 0.1);
            const std::vector<double> means = starlight.over(mesh, mask);
            for (int j = 0; j < mesh.down; ++j)
                for (int i = 0; i < mesh.across; ++i) {
                    double sum = 0, n = 0;
                    for (int y = j * cell + 2; y < (j + 1 == mesh.down ? s.height : (j + 1) * cell); y += 4)
                        for (int x = 2; x < s.width; x += 4) {
                            if (std::min(x / cell, mesh.across - 1) != i || mask.row(y)[x]) continue;
                            sum += starlight.at(x, y), n += 1;
                        }
                    const double expected = n > 0 ? sum / n : 0, is = means[static_cast<std::size_t>(j * mesh.across + i)];
                    QVERIFY2(std::abs(is - expected) <= 1e-12 * std::abs(expected),
                             qPrintable(QString("%1, %2: %3, not %4").arg(i).arg(j).arg(is).arg(expected)));
                }
        }
    }

    void noStarsNoLight() {
        QCOMPARE(UnmaskedStarlight().at(10, 10), 0.0);
        QCOMPARE(UnmaskedStarlight({}, {}, std::nullopt, 100, 100).at(50, 50), 0.0);
    }
};

QTEST_GUILESS_MAIN(UnmaskedStarlightTest)
#include "unmasked_starlight_test.moc"
