#include "core/base/statistics.h"
#include "core/measure/structure.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

/// Boxes of two or more planes: the same structure, scaled, under each one's own noise.
std::vector<std::vector<float>> boxes(const StructureGrid& grid, const std::vector<double>& light, const std::vector<double>& noise, double structure,
                                      unsigned long long seed) {
    Random random(seed);
    std::vector<std::vector<float>> out(light.size(), std::vector<float>(grid.size()));
    for (std::size_t k = 0; k < grid.size(); ++k) {
        const double shared = structure * random.normal();
        for (std::size_t i = 0; i < light.size(); ++i) out[i][k] = static_cast<float>(5 + light[i] * shared + noise[i] * random.normal());
    }
    return out;
}

} // namespace

class StructureTest : public QObject {
    Q_OBJECT
private slots:
    /// Whatever part of the scatter is structure, the noise beneath it is found.
    void noiseComesBack_data() {
        QTest::addColumn<double>("structure");
        for (const double s : {0.0, 0.3, 1.0, 2.5}) QTest::addRow("%g", s) << s;
    }
    void noiseComesBack() {
        QFETCH(double, structure);
        const StructureGrid grid = StructureGrid::over(1200, 900, 8);
        const std::vector<double> light{1, 0.5, 0.1}, noise{1, 0.6, 0.2};
        const auto all = boxes(grid, light, noise, structure, 9);
        std::vector<StructurePlane> planes;
        for (std::size_t i = 0; i < all.size(); ++i) planes.push_back({i, &all[i], 0, light[i]});
        const auto found = findStructure(planes, grid);
        for (std::size_t i = 0; i < all.size(); ++i) {
            QVERIFY(found[i]);
            const double real = noise[i] * noise[i], share = std::pow(light[i] * structure, 2);
            QVERIFY2(std::abs(found[i]->noise - real) < 4 * found[i]->noiseSigma,
                     qPrintable(QString("%1 +- %2, truth %3").arg(found[i]->noise).arg(found[i]->noiseSigma).arg(real)));
            QVERIFY(std::abs(found[i]->variance - share) < 4 * found[i]->sigma);
            QVERIFY(found[i]->noiseSigma < 0.15 * real + 0.15 * share);
        }
        // Which one comes first does not matter.
        const auto turned = findStructure({planes[2], planes[0], planes[1]}, grid);
        QVERIFY(std::abs(turned[1]->noise - found[0]->noise) < 1e-9);
    }

    void planesOfOneRunSayNothing() {
        const StructureGrid grid = StructureGrid::over(600, 600, 8);
        const auto all = boxes(grid, {1, 1}, {1, 1}, 1, 4);
        const auto found = findStructure({{0, &all[0], 0, 1}, {0, &all[1], 0, 1}}, grid);
        QVERIFY(!found[0] && !found[1]);
    }

    void anUnknownLightSaysNothing() {
        const StructureGrid grid = StructureGrid::over(600, 600, 8);
        const auto all = boxes(grid, {1, 1}, {1, 1}, 1, 4);
        const auto found = findStructure({{0, &all[0], 0, 1}, {1, &all[1], 0, 0}}, grid);
        QVERIFY(!found[0] && !found[1]);
    }
};

QTEST_APPLESS_MAIN(StructureTest)
#include "structure_test.moc"
