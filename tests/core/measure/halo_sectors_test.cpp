#include "core/base/statistics.h"
#include "core/measure/halo_discs.h"
#include "core/measure/halo_sectors.h"

#include <QTest>

#include <cmath>
#include <limits>

using namespace caelumen;

namespace {

/// A disc of even light about a place beside the star, upon a sky that slopes, with noise by ring as its pixels have it.
struct Scene {
    double radius = 40, height = 5, dx = 0, dy = 0;
    double slopeX = 0, slopeY = 0, noise = 0.5;
    double open = 0; ///< part of the circle, from +x on, where the disc does not end

    HaloProfile profile(Random& random, int reach = 120) const {
        HaloProfile p;
        p.flux = 1e5, p.blind = 6;
        for (int i = 0; i < reach; ++i) {
            const double r = i + 0.5, perSector = std::max(1.0, 2 * M_PI * r / kHaloSectors);
            std::array<float, kHaloSectors> ring{};
            for (std::size_t s = 0; s < kHaloSectors; ++s) {
                const double x = r * kTowards[s].x, y = r * kTowards[s].y;
                const bool without = (static_cast<double>(s) + 0.5) / kHaloSectors < open;
                const double light = without ? height : height * discLight(std::hypot(x - dx, y - dy), radius, 0, 0.8);
                ring[s] = static_cast<float>(light + slopeX * x + slopeY * y + noise / std::sqrt(perSector) * random.normal());
            }
            p.sectors.push_back(ring);
            p.value.push_back(0), p.sigma.push_back(0);
            std::tie(p.value.back(), p.sigma.back()) = meanOverSectors(ring);
        }
        return p;
    }
};

} // namespace

class HaloSectorsTest : public QObject {
    Q_OBJECT

private slots:
    void sectorsLieEvenly() {
        double x = 0, y = 0;
        for (const Point& p : kTowards) {
            x += p.x, y += p.y;
            QVERIFY(std::abs(std::hypot(p.x, p.y) - 1) < 1e-12);
        }
        QVERIFY(std::hypot(x, y) < 1e-12);
    }

    /// A slope cancels in the mean and does not count as scatter; one sector that is off does neither.
    void theMeanKnowsSlopesAndStrangers() {
        std::array<float, kHaloSectors> ring{};
        for (std::size_t s = 0; s < kHaloSectors; ++s) ring[s] = static_cast<float>(7 + 3 * kTowards[s].x - 2 * kTowards[s].y + (s % 2 ? 0.1 : -0.1));
        const auto [mean, sigma] = meanOverSectors(ring);
        QVERIFY(std::abs(mean - 7) < 1e-5);
        QVERIFY(sigma > 0.02 && sigma < 0.04); // 0.1 over the root of sixteen, three of them spent
        ring[5] = 500;
        const auto [again, wider] = meanOverSectors(ring);
        QVERIFY(std::abs(again - 7) < 0.05 && wider < 0.06);
        for (std::size_t s = 0; s < 10; ++s) ring[s] = std::numeric_limits<float>::quiet_NaN();
        QCOMPARE(meanOverSectors(ring).second, 0.0); // six are too few to tell
    }

    /// Errors of the mean are what repeated rings scatter by.
    void errorsAreTrue() {
        Random random(3);
        double squares = 0, n = 0;
        for (int k = 0; k < 3000; ++k) {
            std::array<float, kHaloSectors> ring{};
            for (float& v : ring) v = static_cast<float>(random.normal());
            const auto [mean, sigma] = meanOverSectors(ring);
            squares += mean * mean / (sigma * sigma), n += 1;
        }
        QVERIFY2(std::abs(std::sqrt(squares / n) - 1.1) < 0.15, qPrintable(QString::number(std::sqrt(squares / n)))); // thirteen degrees of freedom, some cut
    }

    void offsetsComeBack_data() {
        QTest::addColumn<double>("angle");
        QTest::addColumn<double>("slope");
        for (const double angle : {-150.0, -60.0, 0.0, 45.0, 100.0})
            for (const double slope : {0.0, 0.01}) QTest::addRow("%g deg, slope %g", angle, slope) << angle << slope;
    }
    void offsetsComeBack() {
        QFETCH(double, angle);
        QFETCH(double, slope);
        Random random(11);
        Scene scene;
        scene.dx = 6 * std::cos(angle * M_PI / 180), scene.dy = 6 * std::sin(angle * M_PI / 180);
        scene.slopeX = slope, scene.slopeY = -slope / 2;
        const HaloProfile p = scene.profile(random);
        HaloRing ring;
        ring.radius = scene.radius, ring.plateau = scene.height / p.flux;
        measureOffset(p, ring, 1, 6);
        QVERIFY2(std::abs(ring.offset - 6) < 4 * ring.offsetSigma + 0.5, qPrintable(QString("%1 +- %2").arg(ring.offset).arg(ring.offsetSigma)));
        QVERIFY(ring.offsetSigma > 0 && ring.offsetSigma < 1);
        QVERIFY(std::abs(std::remainder(ring.offsetAngle_deg - angle, 360)) < 12);
    }

    void aCentredDiscHasNoOffset() {
        Random random(12);
        const HaloProfile p = Scene{}.profile(random);
        HaloRing ring;
        ring.radius = 40, ring.plateau = 5 / p.flux;
        measureOffset(p, ring, 1, 0);
        QVERIFY2(ring.offset < 4 * ring.offsetSigma, qPrintable(QString("%1 +- %2").arg(ring.offset).arg(ring.offsetSigma)));
    }

    /// A disc closes all round; light that goes on at one side or ends on one side only does not.
    void onlyClosedEdgesAreDiscs() {
        Random random(13);
        Scene disc;
        QVERIFY(closesAround(disc.profile(random), 40, 0, 5, 0.8));
        disc.open = 0.6;
        QVERIFY(!closesAround(disc.profile(random), 40, 0, 5, 0.8));
        Scene nothing;
        nothing.height = 0;
        QVERIFY(!closesAround(nothing.profile(random), 40, 0, 5, 0.8));
    }

    /// The frame may cut half of a disc.
    void halfADiscIsEnough() {
        Random random(14);
        HaloProfile p = Scene{}.profile(random);
        for (auto& ring : p.sectors)
            for (std::size_t s = 8; s < kHaloSectors; ++s) ring[s] = std::numeric_limits<float>::quiet_NaN();
        QVERIFY(closesAround(p, 40, 0, 5, 0.8));
        for (auto& ring : p.sectors)
            for (std::size_t s = 4; s < 8; ++s) ring[s] = std::numeric_limits<float>::quiet_NaN();
        QVERIFY(!closesAround(p, 40, 0, 5, 0.8)); // a quarter is not
    }

    void lightOnOneSideIsSeen() {
        Random random(15);
        HaloProfile p = Scene{}.profile(random);
        const OneSided even = oneSided(p, 10, 38);
        QVERIFY(even.light < 5 * even.sigma);
        for (std::size_t i = 10; i < 38; ++i) p.sectors[i][3] += 4;
        const OneSided odd = oneSided(p, 10, 38);
        double area = 0;
        for (std::size_t i = 10; i < 38; ++i) area += 2 * M_PI * (static_cast<double>(i) + 0.5) / kHaloSectors;
        QVERIFY(odd.light > 6 * odd.sigma);
        QVERIFY(std::abs(odd.light - 4 * area / p.flux) < 0.1 * odd.light);
        QCOMPARE(oneSided({}, 10, 38).light, 0.0);
    }
};

QTEST_GUILESS_MAIN(HaloSectorsTest)
#include "halo_sectors_test.moc"
