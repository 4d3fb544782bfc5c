#include "core/base/sort_rows.h"
#include "core/base/statistics.h"
#include "core/base/wide.h"

#include <QTest>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <vector>

using namespace caelumen;

namespace {

/// IEEE 754's total order.
bool isBefore(float a, float b) {
    const auto key = [](float x) {
        const auto bits = std::bit_cast<std::int32_t>(x);
        return bits < 0 ? std::int64_t{-1} - (bits & 0x7fffffff) : std::int64_t{bits};
    };
    return key(a) < key(b);
}

std::vector<std::uint32_t> bitsOf(const std::vector<float>& v) {
    std::vector<std::uint32_t> bits;
    for (const float x : v) bits.push_back(std::bit_cast<std::uint32_t>(x));
    return bits;
}

} // namespace

class SortRowsTest : public QObject {
    Q_OBJECT
private slots:
    void cleanup() { rows::takeWidest(true); }

    void fewAreSortedToTheBit_data() {
        QTest::addColumn<bool>("widest");
        QTest::newRow("widest registers, where the machine has them") << true;
        QTest::newRow("others") << false;
    }
    void fewAreSortedToTheBit() {
        QFETCH(const bool, widest);
        rows::takeWidest(widest);
        constexpr float kNone = std::numeric_limits<float>::quiet_NaN(), kMost = std::numeric_limits<float>::infinity();
        Random random(20);
        const int most = rows::takesWidest() ? 512 : 256;
        for (int n = 0; n <= most; ++n)
            for (const double step : {0.0, 0.2, 5.0}) { // whole steps make many alike
                std::vector<float> v(static_cast<std::size_t>(n) + 2);
                for (float& x : v) x = static_cast<float>(step > 0 ? step * std::round(random.normal() / step) : random.normal());
                if (n > 8) v[1] = kMost, v[2] = -kMost, v[3] = std::numeric_limits<float>::lowest(), v[4] = kNone, v[5] = -kNone, v[6] = 0.0F, v[7] = -0.0F;
                std::vector<float> expected = v;
                std::sort(expected.begin() + 1, expected.end() - 1, isBefore);
                QVERIFY(rows::sortFew(v.data() + 1, v.size() - 2));
                QCOMPARE(bitsOf(v), bitsOf(expected)); // nor is anything beside them touched
            }
    }

    void tooManyAreLeftAlone() {
        rows::takeWidest(false);
        std::vector<float> v(257);
        for (std::size_t i = 0; i < v.size(); ++i) v[i] = static_cast<float>(v.size() - i);
        const std::vector<float> before = v;
        QVERIFY(!rows::sortFew(v.data(), v.size()));
        QCOMPARE(v, before);
    }

    /// What is few, and how it is sorted, makes no difference to what is made of it.
    void statisticsAreThoseOfTheSorted() {
        Random random(21);
        for (const int n : {1, 2, 17, 128, 129, 256, 257, 300, 512, 513, 1500, 5000})
            for (const bool widest : {true, false}) {
                rows::takeWidest(widest);
                std::vector<float> v(static_cast<std::size_t>(n)), sorted;
                for (float& x : v) x = static_cast<float>(100 + random.normal());
                sorted = v;
                std::sort(sorted.begin(), sorted.end());
                const std::size_t middle = v.size() / 2;
                const double expected = 0.5 * (static_cast<double>(sorted[middle]) + static_cast<double>(sorted[(v.size() - 1) / 2]));
                std::vector<float> copy = v;
                QCOMPARE(median(std::span<float>(copy)), expected);
                clippedStats(std::span<float>(v));
                QVERIFY(v == sorted);
            }
    }
};

QTEST_APPLESS_MAIN(SortRowsTest)
#include "sort_rows_test.moc"
