#include "core/measure/harvest.h"
#include "core/measure/surface.h"
#include "support/scenes.h"

using namespace caelumen;

namespace {

scenes::PlaneScene sloping() {
    scenes::PlaneScene s;
    s.width = 1200;
    s.height = 800;
    s.stars = 0;
    s.slope_u = 0.12;
    s.slope_v = -0.07;
    s.vignette = -0.03;
    return s;
}

void near(double value, double expected, double sigma, double times = 4) {
    QVERIFY2(std::abs(value - expected) < times * sigma, qPrintable(QString("%1 +- %2, expected %3").arg(value).arg(sigma).arg(expected)));
}

} // namespace

class SurfaceTest : public QObject {
    Q_OBJECT

private slots:
    void planeAndVignetteComeBack() {
        const auto s = sloping();
        const Plane p = scenes::make(s).plane;
        const Surface f = fitSurface(buildMesh(p, {}, 32), {}, s.width, s.height);
        QVERIFY(f.valid);
        near(f.b0, 100, std::sqrt(f.covariance[0][0]));
        near(f.bx, 12, std::sqrt(f.covariance[1][1]));
        near(f.by, -7, std::sqrt(f.covariance[2][2]));
        near(f.q, -3, std::sqrt(f.covariance[3][3]));
        QVERIFY(std::sqrt(f.covariance[1][1]) < 0.1);
    }

    /// Over many nights the errors claimed are the errors made: variance of the pulls between a half and twice one.
    void errorsAreHonest() {
        auto s = sloping();
        s.width = 600;
        s.height = 400;
        double squares = 0;
        const int nights = 40;
        for (int n = 0; n < nights; ++n) {
            s.seed = 100 + static_cast<unsigned long long>(n);
            const Surface f = fitSurface(buildMesh(scenes::make(s).plane, {}, 24), {}, s.width, s.height);
            squares += std::pow((f.bx - 12) / std::sqrt(f.covariance[1][1]), 2) / nights;
        }
        QVERIFY2(squares > 0.5 && squares < 2, qPrintable(QString::number(squares)));
    }

    /// Whatever the size of cells: their middles are where their pixels are, or a vignette turns into a gradient.
    void cellsKnowWhereTheyAre_data() {
        QTest::addColumn<int>("cell");
        for (const int cell : {24, 25, 32, 47}) QTest::newRow(qPrintable(QString::number(cell))) << cell;
    }
    void cellsKnowWhereTheyAre() {
        QFETCH(int, cell);
        scenes::PlaneScene s;
        s.stars = 0;
        const BackgroundMesh mesh = buildMesh(scenes::make(s).plane, {}, cell);
        double x = 0, y = 0, n = 0;
        for (int j = 0; j + 1 < mesh.down; ++j)
            for (int i = 0; i + 1 < mesh.across; ++i) {
                x += mesh.at(i, j).centre.x - (i + 0.5) * cell + 0.5;
                y += mesh.at(i, j).centre.y - (j + 0.5) * cell + 0.5;
                n += 1;
            }
        QVERIFY2(std::abs(x / n) < 0.03 && std::abs(y / n) < 0.03, qPrintable(QString("%1 %2").arg(x / n).arg(y / n)));
    }

    /// Light that fades on beyond the excluded cells moves the model when more of them are excluded; sky alone does not.
    void whatFadesOnIsNoticed() {
        const auto s = sloping();
        for (const bool fading : {false, true}) {
            Plane p = scenes::make(s).plane;
            if (fading)
                for (int y = 0; y < s.height; ++y)
                    for (int x = 0; x < s.width; ++x) p.at(x, y) += static_cast<float>(60 * std::exp(-std::hypot(x - 300, y - 400) / 70));
            const BackgroundMesh mesh = buildMesh(p, {}, 25);
            const auto excludedWithin = [&](double radius) {
                std::vector<char> out(mesh.cells.size());
                for (std::size_t i = 0; i < out.size(); ++i) out[i] = std::hypot(mesh.cells[i].centre.x - 300, mesh.cells[i].centre.y - 400) < radius;
                return out;
            };
            const Surface near = fitSurface(mesh, excludedWithin(300), s.width, s.height),
                          wide = refitSurface(mesh, excludedWithin(420), s.width, s.height, near);
            QVERIFY(near.valid && wide.valid);
            QCOMPARE(disagree(near, wide), fading);
            QVERIFY(std::abs(wide.bx - 12) <= std::abs(near.bx - 12) || !fading);
            const Surface doubted = withDoubt(wide, near);
            QVERIFY(doubted.covariance[1][1] >= wide.covariance[1][1] && doubted.bx == wide.bx);
        }
    }

    void aNebulaOverHalfTheFrameDoesNotPullIt() {
        const auto s = sloping();
        Plane p = scenes::make(s).plane;
        for (int y = 0; y < s.height; ++y) {
            for (int x = 0; x < s.width; ++x) {
                const double r = std::hypot((x - 620) / 460.0, (y - 420) / 330.0);
                if (r < 1) p.at(x, y) += static_cast<float>(15 * (1 - r) * (1.2 + std::sin(x * 0.05) * std::cos(y * 0.06)));
            }
        }
        std::vector<char> bright;
        const Surface f = fitSurface(buildMesh(p, {}, 32), {}, s.width, s.height, &bright);
        QVERIFY(f.valid);
        QVERIFY2(std::abs(f.b0 - 100) < 0.35, qPrintable(QString::number(f.b0)));
        QVERIFY2(std::abs(f.bx - 12) < 0.4 && std::abs(f.by + 7) < 0.4, qPrintable(QString("%1 %2").arg(f.bx).arg(f.by)));
        QVERIFY2(std::abs(f.q + 3) < 0.6, qPrintable(QString::number(f.q)));
        QVERIFY(std::count(bright.begin(), bright.end(), 1) > 100);
    }

    void aRingShows() {
        auto s = sloping();
        Plane p = scenes::make(s).plane;
        const BackgroundMesh smooth = buildMesh(p, {}, 32);
        QVERIFY(!hasRing(smooth, {}, fitSurface(smooth, {}, s.width, s.height), s.width, s.height));
        const double half = 0.5 * std::hypot(s.width, s.height);
        for (int y = 0; y < s.height; ++y)
            for (int x = 0; x < s.width; ++x)
                if (std::abs(std::hypot(x - 599.5, y - 399.5) / half - 0.35) < 0.05) p.at(x, y) += 0.35F;
        const BackgroundMesh ringed = buildMesh(p, {}, 32);
        QVERIFY(hasRing(ringed, {}, fitSurface(ringed, {}, s.width, s.height), s.width, s.height));
    }

    void tooFewCellsGiveNoModel() {
        const Plane p(60, 60, 5.0F);
        QVERIFY(!fitSurface(buildMesh(p, {}, 30), {}, 60, 60).valid);
    }

    void meshKnowsWhatItUsed() {
        Plane p(128, 64, 5.0F);
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x) p.at(x, y) = kNoData;
        const BackgroundMesh mesh = buildMesh(p, {}, 32);
        QCOMPARE(mesh.across, 4);
        QCOMPARE(mesh.at(0, 0).used, std::size_t{0});
        QVERIFY(mesh.at(3, 1).used > 1000);
        QCOMPARE(mesh.coverage(), 0.5);
        // The smooth sky still has a value everywhere.
        QCOMPARE(SmoothSky(mesh).level(3, 3), 5.0);
    }
};

QTEST_GUILESS_MAIN(SurfaceTest)
#include "surface_test.moc"
