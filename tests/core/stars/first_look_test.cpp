#include "core/base/star_rows.h"
#include "core/stars/first_look.h"
#include "support/noisy_row.h"
#include "support/scenes.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <vector>

using namespace caelumen;

namespace {

/// Waves as steep as nebula, noise, stars, and pixels that no sky makes, at the borders too.
Plane roughPlane(int width, int height) {
    Plane p(width, height);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) p.at(x, y) = static_cast<float>(200 + 90 * std::sin(0.031 * x) * std::cos(0.043 * y));
    scenes::addNoise(p, 3, 8);
    Random random(5);
    const auto anywhere = [&](int size) { return static_cast<int>(random.index(static_cast<std::size_t>(size))); };
    for (int i = 0; i < 60; ++i) scenes::addStar(p, anywhere(width), anywhere(height), 200 + 60.0 * i * i, 3.1, 3);
    for (int i = 0; i < 200; ++i) p.at(anywhere(width), anywhere(height)) += i % 2 == 0 ? 400.0F : -400.0F;
    for (const auto& [x, y] : {std::pair{0, 0}, {width - 1, height - 1}, {width - 1, 63}, {0, 64}}) p.at(x, y) = -900;
    for (int x = 20; x < 50; ++x) p.at(x, 90) = kNoData;
    return p;
}

} // namespace

/// Rows looked at by blocks find what a look at each pixel finds.
class FirstLookTest : public QObject {
    Q_OBJECT

private slots:
    void sizes_data() {
        QTest::addColumn<int>("width");
        QTest::addColumn<int>("height");
        QTest::addColumn<bool>("widest");
        for (const bool widest : {false, true}) { // cells of 24, of 43 and of 64 pixels
            QTest::newRow(widest ? "small, widest" : "small") << 419 << 301 << widest;
            QTest::newRow(widest ? "odd cells, widest" : "odd cells") << 1501 << 1391 << widest;
            QTest::newRow(widest ? "large, widest" : "large") << 2210 << 2065 << widest;
            QTest::newRow(widest ? "narrow, widest" : "narrow") << 30 << 500 << widest;
        }
    }

    void brightRunsAreThoseOfEachPixel_data() { sizes_data(); }
    void brightRunsAreThoseOfEachPixel() {
        QFETCH(int, width);
        QFETCH(int, height);
        const noisy_row::TakenWidth taken;
        const Plane p = roughPlane(width, height);
        const SmoothSky sky(sampleMesh(p, std::clamp(defaultCell(p), 24, 64)));
        std::vector<BrightRun> expected;
        std::vector<float> limit(static_cast<std::size_t>(width));
        for (int y = 0; y < height; ++y) {
            sky.row(y, 1.5, 0, width, limit.data());
            bool on = false;
            for (int x = 0; x < width; ++x) {
                const bool is =
                    rows::smoothed(p.row(std::max(0, y - 1)), p.row(y), p.row(std::min(height - 1, y + 1)), width, x) >= limit[static_cast<std::size_t>(x)];
                if (is && on)
                    expected.back().x1 = x + 1;
                else if (is)
                    expected.push_back({y, x, x + 1});
                on = is;
            }
        }
        QVERIFY(expected.size() > 40);
        QVERIFY(brightRuns(p, sky, 1.5) == expected);
    }

    void defectsAreThoseOfEachPixel_data() { sizes_data(); }
    void defectsAreThoseOfEachPixel() {
        QFETCH(int, width);
        QFETCH(int, height);
        const noisy_row::TakenWidth taken;
        Plane p = roughPlane(width, height);
        const SmoothSky sky(sampleMesh(p, std::clamp(defaultCell(p), 24, 64)));
        std::vector<std::size_t> expected;
        std::vector<float> low(static_cast<std::size_t>(width)), high(low.size());
        float top = -1e30F;
        for (int y = 0; y < height; ++y) {
            sky.row(y / 8 * 8 + 4, -8, 0, width, low.data()); // limits of eight rows are those in their midst
            sky.row(y / 8 * 8 + 4, 8, 0, width, high.data());
            for (int x = 0; x < width; ++x) {
                const auto at = static_cast<std::size_t>(x);
                const float v = p.at(x, y);
                if (!(v < low[at]) && !(v > high[at])) continue;
                if (v < low[at] || isHotPixel(p, 0.5 * (static_cast<double>(low[at]) + static_cast<double>(high[at])), x, y))
                    expected.push_back(static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + at);
                else
                    top = std::max(top, v);
            }
        }
        QVERIFY(expected.size() > 50);
        const FirstLook look = lookOver(p, sky, 1.5);
        QVERIFY(look.defects.places == expected);
        QCOMPARE(look.maxima.maximum(), top);
        for (const std::size_t place : expected) QVERIFY(std::isnan(p.data()[place]));
    }

    /// What is known of stretches spares looks; what is found stays the same.
    void extremesChangeNothing_data() { sizes_data(); }
    void extremesChangeNothing() {
        QFETCH(int, width);
        QFETCH(int, height);
        const noisy_row::TakenWidth taken;
        for (const double threshold : {1.5, 4.0}) {
            Plane all = roughPlane(width, height), some = roughPlane(width, height);
            for (Plane* p : {&all, &some}) // bright ones beside the ends of stretches, and what has become NaN since
                for (int y = 5; y < height; y += 37)
                    for (int x = 64; x < width; x += 64) {
                        p->at(x - (y & 1), y) += 70;
                        if (y % 5 == 0) p->at(x, y - 1) = kNoData;
                    }
            RowExtremes known(width, height);
            for (int y = 0; y < height; ++y) rows::extremes(some.row(y), width, known.lows(y), known.highs(y));
            for (int y = 50; y < std::min(height, 70); ++y)
                for (Plane* p : {&all, &some}) std::fill_n(p->row(y), width / 2, kNoData);
            const SmoothSky sky(sampleMesh(all, std::clamp(defaultCell(all), 24, 64)));
            const FirstLook a = lookOver(all, sky, threshold), b = lookOver(some, sky, threshold, known);
            QVERIFY(a.bright.size() > 20 && !a.defects.places.empty());
            QVERIFY(a.bright == b.bright && a.defects.places == b.defects.places && a.maxima.ofBlock == b.maxima.ofBlock);
            QVERIFY(std::memcmp(all.data(), some.data(), all.size() * sizeof(float)) == 0);
        }
    }
};

QTEST_GUILESS_MAIN(FirstLookTest)
#include "first_look_test.moc"
