#include "core/base/statistics.h"
#include "core/stars/deblend.h"

#include <QTest>

#include <cmath>
#include <set>

using namespace caelumen;

namespace {

struct Hill {
    double x, y, height;
};

std::vector<BrightPixel> pixelsOf(const std::vector<Hill>& hills, double threshold, double noise = 0) {
    std::vector<BrightPixel> out;
    Random random(9);
    for (int y = 0; y < 60; ++y) {
        for (int x = 0; x < 80; ++x) {
            double v = noise * random.normal();
            for (const Hill& h : hills) v += h.height * std::exp(-0.5 * (std::pow(x - h.x, 2) + std::pow(y - h.y, 2)) / (1.8 * 1.8));
            if (v >= threshold) out.push_back({x, y, static_cast<float>(v), static_cast<float>(v)});
        }
    }
    return out;
}

int objects(const std::vector<Hill>& hills, double noise = 0) {
    int count = 0;
    const auto pixels = pixelsOf(hills, 4, noise);
    const auto label = deblend(pixels, {0.005, 1, 5}, count);
    if (std::set<int>(label.begin(), label.end()).size() != static_cast<std::size_t>(count)) return -1;
    return count;
}

} // namespace

class DeblendTest : public QObject {
    Q_OBJECT

private slots:
    void oneHillIsOne() { QCOMPARE(objects({{40, 30, 1000}}), 1); }
    void twoHillsAreTwo() { QCOMPARE(objects({{36, 30, 1000}, {43, 30, 700}}), 2); }
    void aFaintCompanionIsSeen() { QCOMPARE(objects({{36, 30, 5000}, {46, 30, 200}}), 2); }
    void fourInARowAreFour() { QCOMPARE(objects({{20, 30, 500}, {28, 30, 700}, {36, 30, 300}, {44, 30, 900}}), 4); }
    /// A faint pair in a long chain of bright stars holds next to nothing of the chain's light.
    void crowdsComeApart() {
        std::vector<Hill> chain;
        for (int i = 0; i < 8; ++i) chain.push_back({6.0 + 9 * i, 20, 3000});
        chain.insert(chain.end(), {{30, 27.5, 120}, {36, 29, 110}});
        QCOMPARE(objects(chain), 10);
    }
    /// What hardly rises above the wing that it sits on is none, however bright the wing.
    void shouldersAreNone() { QCOMPARE(objects({{36, 30, 5000}, {40.5, 30, 400}}), 1); }
    void ripplesOfNoiseAreNone() { QCOMPARE(objects({{40, 30, 300}}, 0.8), 1); }
    void nothingIsNothing() {
        int count = 7;
        QVERIFY(deblend({}, {}, count).empty());
        QCOMPARE(count, 0);
    }
    /// Each pixel goes with the peak that it leans on.
    void pixelsGoWithTheirPeak() {
        const auto pixels = pixelsOf({{36, 30, 1000}, {43, 30, 700}}, 4);
        int count = 0;
        const auto label = deblend(pixels, {0.005, 1, 5}, count);
        int left = -1, right = -1;
        for (std::size_t i = 0; i < pixels.size(); ++i) {
            if (pixels[i].x == 36 && pixels[i].y == 30) left = label[i];
            if (pixels[i].x == 43 && pixels[i].y == 30) right = label[i];
        }
        QVERIFY(left != right);
        for (std::size_t i = 0; i < pixels.size(); ++i) {
            if (pixels[i].x <= 37) QCOMPARE(label[i], left);
            if (pixels[i].x >= 42) QCOMPARE(label[i], right);
        }
    }
};

QTEST_GUILESS_MAIN(DeblendTest)
#include "deblend_test.moc"
