#include "core/measure/region_sum.h"
#include "support/scenes.h"

using namespace caelumen;

class RegionTest : public QObject {
    Q_OBJECT

private slots:
    void shapesHoldTheirPoints() {
        const Region circle{"c", RegionRole::Nebula, RegionShape::Circle, {{10, 10}}, 3, "", "", false};
        QVERIFY(circle.contains({12, 12}) && !circle.contains({12.5, 12.5}));
        const Region rect{"r", RegionRole::Sky, RegionShape::Rect, {{2, 2}, {5, 8}}, 0, "", "", false};
        QVERIFY(rect.contains({2, 8}) && !rect.contains({1.9, 5}));
        const Region triangle{"p", RegionRole::Sky, RegionShape::Polygon, {{0, 0}, {10, 0}, {0, 10}}, 0, "", "", false};
        QVERIFY(triangle.contains({2, 2}) && !triangle.contains({6, 6}));
        // A hollow shape: the notch is outside.
        const Region notch{"n", RegionRole::Sky, RegionShape::Polygon, {{0, 0}, {10, 0}, {10, 10}, {5, 3}, {0, 10}}, 0, "", "", false};
        QVERIFY(!notch.contains({5, 8}) && notch.contains({1, 8}));
        QCOMPARE(circle.bounds().max.x, 13.0);
    }

    void shiftMovesEverything() {
        Region r{"p", RegionRole::Sky, RegionShape::Polygon, {{0, 0}, {10, 0}, {0, 10}}, 0, "", "", false};
        r.shift(3, -2);
        QVERIFY(r.points[1] == (Point{13, -2}));
    }

    /// The same light measured through any placement of the frame: a turned, mirrored, scaled run gives the region's mean without resampling.
    void sumsFollowTheAlignment_data() {
        QTest::addColumn<double>("turn");
        QTest::addColumn<double>("scale");
        QTest::addColumn<bool>("mirrored");
        QTest::newRow("straight") << 0.0 << 1.0 << false;
        QTest::newRow("turned") << 37.0 << 1.0 << false;
        QTest::newRow("scaled and mirrored") << -12.0 << 0.7 << true;
    }
    void sumsFollowTheAlignment() {
        QFETCH(double, turn);
        QFETCH(double, scale);
        QFETCH(bool, mirrored);
        Alignment a{400, 300, turn, scale, mirrored, 0, 0};
        const Region region{"n", RegionRole::Nebula, RegionShape::Circle, {{60, -40}}, 45, "", "", false};
        Plane p(800, 600);
        for (int y = 0; y < p.height(); ++y)
            for (int x = 0; x < p.width(); ++x) {
                const Point b = a.unmap({static_cast<double>(x), static_cast<double>(y)});
                p.at(x, y) = static_cast<float>(100 + 0.2 * b.x - 0.1 * b.y);
            }
        scenes::addNoise(p, 1, 5);
        const RegionSum sum = sumRegions(p, {}, UnmaskedStarlight{}, {{}, a, 800, 600}, {&region}, true);
        QVERIFY(std::abs(static_cast<double>(sum.inside) / (M_PI * 45 * 45 * scale * scale) - 1) < 0.02);
        QVERIFY2(std::abs(sum.mean - (100 + 12 + 4)) < 0.15, qPrintable(QString::number(sum.mean)));
        QVERIFY(std::abs(sum.pixelSigma - 1) < 0.1);
    }

    /// Stars that crowd on one side must not bias the mean of a sloping nebula.
    void hiddenPlacesCountWithTheirNeighbourhood() {
        Plane p(200, 200);
        for (int y = 0; y < 200; ++y)
            for (int x = 0; x < 200; ++x) p.at(x, y) = static_cast<float>(x);
        scenes::addNoise(p, 0.5, 9);
        Mask mask(p.width(), p.height());
        Random random(1);
        for (int y = 0; y < 200; ++y)
            for (int x = 100; x < 200; ++x)
                if (random.uniform() < 0.7) mask.hide(y, x, x + 1);
        const Region whole{"n", RegionRole::Nebula, RegionShape::Rect, {{0, 0}, {199, 199}}, 0, "", "", false};
        const RegionSum sum = sumRegions(p, mask, UnmaskedStarlight{}, {{}, {}, 200, 200}, {&whole}, true);
        QVERIFY2(std::abs(sum.mean - 99.5) < 0.3, qPrintable(QString::number(sum.mean)));
    }

    /// A bright star in the middle of a hump hides the brightest part: what is filled in must be as high as the hump, not as its flanks.
    void aHiddenSummitIsFilledAsASummit() {
        Plane p(160, 160);
        double truth = 0, n = 0;
        const Region region{"n", RegionRole::Nebula, RegionShape::Circle, {{80, 80}}, 56, "", "", false};
        Mask mask(p.width(), p.height());
        for (int y = 0; y < 160; ++y)
            for (int x = 0; x < 160; ++x) {
                const double v = 20 * std::exp(-(std::pow((x - 80) / 90.0, 2) + std::pow((y - 80) / 70.0, 2)) / 2);
                p.at(x, y) = static_cast<float>(v);
                if (std::hypot(x - 80, y - 80) <= 56) truth += v, n += 1;
                if (std::hypot(x - 80, y - 80) < 28) mask.hide(y, x, x + 1);
            }
        scenes::addNoise(p, 0.1, 4);
        const RegionSum sum = sumRegions(p, mask, UnmaskedStarlight{}, {{}, {}, 160, 160}, {&region}, true);
        // The flanks alone give a mean that is 1.3 % too low; a hump is no parabola, which leaves 0.4 %.
        QVERIFY2(std::abs(sum.mean / (truth / n) - 1) < 0.006, qPrintable(QString::number(sum.mean / (truth / n))));
    }

    /// Many nights of nothing but noise, half hidden by discs: what is filled in must not count as seen.
    void errorsKnowWhatIsHidden() {
        const Region whole{"r", RegionRole::Nebula, RegionShape::Rect, {{0, 0}, {119, 119}}, 0, "", "", false};
        Mask mask(120, 120);
        for (int y = 0; y < 120; ++y)
            for (int x = 0; x < 120; ++x)
                if (std::hypot(x % 40 - 20, y % 40 - 20) < 17.5) mask.hide(y, x, x + 1);
        double squares = 0;
        constexpr int kNights = 300;
        for (int night = 0; night < kNights; ++night) {
            Plane p(120, 120, 50.0F);
            scenes::addNoise(p, 2, static_cast<unsigned long long>(night) + 1);
            const RegionSum sum = sumRegions(p, mask, UnmaskedStarlight{}, {{}, {}, 120, 120}, {&whole}, true);
            squares += std::pow((sum.mean - 50) / (sum.pixelSigma / std::sqrt(static_cast<double>(sum.used))), 2) / kNights;
        }
        // The mean square of 300 normal pulls is one within 0.08.
        QVERIFY2(std::abs(squares - 1) < 0.25, qPrintable(QString::number(squares)));
    }

    void outsideTheFrameThereIsNothing() {
        const Region far{"n", RegionRole::Nebula, RegionShape::Circle, {{900, 900}}, 10, "", "", false};
        const RegionSum sum = sumRegions(Plane(50, 50, 1.0F), {}, UnmaskedStarlight{}, {{}, {}, 50, 50}, {&far}, true);
        QCOMPARE(sum.used, std::size_t{0});
        QCOMPARE(sum.inside, std::size_t{0});
    }
};

QTEST_GUILESS_MAIN(RegionTest)
#include "region_test.moc"
