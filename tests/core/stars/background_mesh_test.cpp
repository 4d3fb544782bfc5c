#include "core/stars/background_mesh.h"
#include "support/scenes.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

using namespace caelumen;

namespace {

constexpr int kWidth = 410, kHeight = 290, kCell = 40;

/// A sloping sky with noise of 2.
double skyAt(double x, double y) {
    return 100 + 0.05 * x - 0.03 * y;
}

Plane slopingPlane() {
    Plane p(kWidth, kHeight);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) p.at(x, y) = static_cast<float>(skyAt(x, y));
    scenes::addNoise(p, 2, 5);
    return p;
}

} // namespace

class BackgroundMeshTest : public QObject {
    Q_OBJECT

private slots:
    /// 410 x 290 are 10 x 7 cells of 40, the last of which take ten pixels more: every pixel is in one cell.
    void cellsHoldLevelAndNoiseOfAllPixels() {
        const BackgroundMesh mesh = buildMesh(slopingPlane(), {}, kCell);
        QCOMPARE(mesh.across, 10);
        QCOMPARE(mesh.down, 7);
        QCOMPARE(mesh.coverage(), 1.0);
        std::size_t used = 0;
        for (int j = 0; j < mesh.down; ++j)
            for (int i = 0; i < mesh.across; ++i) {
                const MeshCell& c = mesh.at(i, j);
                const double x = i + 1 == mesh.across ? 0.5 * (360 + 409) : i * kCell + 19.5, y = j + 1 == mesh.down ? 0.5 * (240 + 289) : j * kCell + 19.5;
                QVERIFY(std::abs(c.centre.x - x) < 1 && std::abs(c.centre.y - y) < 1);
                QVERIFY2(std::abs(c.level - skyAt(x, y)) < 5 * 2 / 40.0, qPrintable(QString::number(c.level - skyAt(x, y))));
                QVERIFY(std::abs(c.sigma - 2) < 0.3); // the slope adds a little
                used += c.used;
            }
        QVERIFY(static_cast<double>(used) > 0.99 * kWidth * kHeight);
    }

    void whatIsHiddenOrHighDoesNotCount() {
        Plane p = slopingPlane();
        Mask mask(p.width(), p.height());
        for (int y = 80; y < 100; ++y) // half a cell of light that the mask hides
            for (int x = 120; x < 160; ++x) {
                p.at(x, y) += 500;
                mask.hide(y, x, x + 1);
            }
        for (int x = 200; x < 240; ++x) p.at(x, 100) += 300; // and a row of it that clipping finds
        const BackgroundMesh mesh = buildMesh(p, mask, kCell);
        QVERIFY(std::abs(mesh.at(3, 2).level - skyAt(139.5, 109.5)) < 0.5);
        QVERIFY(std::abs(mesh.at(3, 2).centre.y - 109.5) < 0.1); // the middle of what is seen
        QVERIFY(std::abs(mesh.at(5, 2).level - skyAt(219.5, 99.5)) < 0.5);
    }

    void cellsWithTooLittleAreUnused() {
        Plane p = slopingPlane();
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 80; ++x) p.at(x, y) = kNoData;
        for (int y = 80; y < 120; ++y) // four fifths of one cell
            for (int x = 0; x < 32; ++x) p.at(x, y) = kNoData;
        const BackgroundMesh strict = buildMesh(p, {}, kCell), lenient = buildMesh(p, {}, kCell, 0.1);
        for (const auto& [i, j] : {std::pair{0, 0}, {1, 0}, {0, 1}, {1, 1}}) QCOMPARE(lenient.at(i, j).used, std::size_t{0});
        QCOMPARE(strict.at(0, 2).used, std::size_t{0});
        QVERIFY(lenient.at(0, 2).used > 250);
        QCOMPARE(strict.coverage(), 65.0 / 70);
        // The smooth sky goes on into the hole.
        const SmoothSky sky(strict);
        QVERIFY(std::abs(sky.level(10, 10) - skyAt(10, 10)) < 5);
        QVERIFY(std::abs(sky.sigma(10, 10) - 2) < 0.5);
    }

    void theQuickMeshAgreesWithTheWholeOne() {
        const Plane p = slopingPlane();
        const BackgroundMesh whole = buildMesh(p, {}, kCell), quick = sampleMesh(p, kCell);
        for (std::size_t k = 0; k < whole.cells.size(); ++k) {
            QVERIFY(std::abs(whole.cells[k].level - quick.cells[k].level) < 1);
            QVERIFY(std::abs(whole.cells[k].sigma - quick.cells[k].sigma) < 1);
        }
    }

    void emptyPlanesHaveNoSky() {
        const BackgroundMesh mesh = buildMesh(Plane(100, 100, kNoData), {}, 25);
        QCOMPARE(mesh.coverage(), 0.0);
        QCOMPARE(SmoothSky(mesh).typicalSigma(), 0.0);
    }

    /// Lines between the middles of cells, up to the borders: a slope comes back as it is.
    void theSmoothSkyFollowsASlopeToTheBorders() {
        Plane p(kWidth, kHeight);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) p.at(x, y) = static_cast<float>(skyAt(x, y));
        scenes::addNoise(p, 0.01, 6);
        const SmoothSky sky(buildMesh(p, {}, kCell));
        for (const auto& [x, y] : {std::pair{0.0, 0.0}, {409.0, 0.0}, {0.0, 289.0}, {409.0, 289.0}, {200.0, 150.0}, {385.0, 20.0}})
            QVERIFY2(std::abs(sky.level(x, y) - skyAt(x, y)) < 0.15, qPrintable(QString("%1 %2: %3").arg(x).arg(y).arg(sky.level(x, y) - skyAt(x, y))));
    }

    void rowsArePartsOfTheSameSky_data() {
        QTest::addColumn<int>("width");
        QTest::addColumn<int>("cell");
        QTest::newRow("ten cells") << kWidth << kCell;
        QTest::newRow("one cell across") << 30 << kCell;
        QTest::newRow("odd cells") << 133 << 25;
    }
    void rowsArePartsOfTheSameSky() {
        QFETCH(int, width);
        QFETCH(int, cell);
        scenes::PlaneScene s;
        s.width = width;
        s.height = 200;
        s.stars = 0;
        s.slope_u = 0.2;
        const SmoothSky sky(buildMesh(scenes::make(s).plane, {}, cell));
        std::vector<float> to(static_cast<std::size_t>(width));
        for (const int y : {0, 7, 99, 199})
            for (const double sigmas : {0.0, 4.0, -8.0})
                for (const auto& [from, end] : {std::pair{0, width}, {width / 3, width / 2}, {width - 5, width}, {12, 13}, {cell / 2, cell + 1}}) {
                    sky.row(y, sigmas, from, end, to.data());
                    for (int x = from; x < end; ++x)
                        QVERIFY(std::abs(static_cast<double>(to[static_cast<std::size_t>(x - from)]) - (sky.level(x, y) + sigmas * sky.sigma(x, y))) < 1e-3);
                }
    }

    /// A row's pieces from one of them on are those of the whole row to the last digit, and down a column the sky is straight between the rows it tells.
    void piecesAreThoseOfTheWholeRow() {
        for (const int cell : {40, 41, 24}) {
            Plane p = slopingPlane();
            for (int y = 0; y < p.height(); ++y)
                for (int x = 0; x < p.width(); ++x) p.at(x, y) += static_cast<float>(60 * std::sin(0.02 * x) * std::sin(0.03 * y));
            const SmoothSky sky(sampleMesh(p, cell));
            std::vector<rows::Piece> whole, part;
            const auto same = [](const rows::Piece& a, const rows::Piece& b) {
                return a.x == b.x && a.n == b.n && a.ramp.start == b.ramp.start && a.ramp.step == b.ramp.step;
            };
            for (const int y : {0, 33, 150, 289}) {
                sky.pieces(y, 2, 0, p.width(), whole);
                QVERIFY(whole.size() > 5);
                for (const rows::Piece& from : whole) {
                    sky.pieces(y, 2, from.x, p.width(), part);
                    QVERIFY(part[0].x == from.x && part.size() <= whole.size());
                    QVERIFY(std::equal(part.rbegin(), part.rend(), whole.rbegin(), same));
                }
            }
            int bends = 0;
            for (int y = 1; y + 1 < p.height(); ++y) {
                const double bend = sky.level(50, y - 1) - 2 * sky.level(50, y) + sky.level(50, y + 1);
                if (sky.lastOfPiece(y - 1) >= y + 1) QVERIFY2(std::abs(bend) < 1e-9, qPrintable(QString("%1 of cells of %2").arg(y).arg(cell)));
                bends += std::abs(bend) > 1e-6;
            }
            QVERIFY(bends >= 5);
        }
    }
};

QTEST_GUILESS_MAIN(BackgroundMeshTest)
#include "background_mesh_test.moc"
