#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"

#include <QTest>

#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <vector>

using namespace caelumen;

namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN(), kInf = std::numeric_limits<float>::infinity();

std::vector<float> noise(int n, unsigned long long seed) {
    Random random(seed);
    std::vector<float> v(static_cast<std::size_t>(n));
    for (float& x : v) x = static_cast<float>(100 + 5 * random.normal());
    return v;
}

} // namespace

/// Each loop against the plain way of writing it, for lengths around the width of registers and blocks.
class PixelRowsTest : public QObject {
    Q_OBJECT

private slots:
    void lengths_data() {
        QTest::addColumn<int>("n");
        for (const int n : {1, 2, 15, 16, 17, 63, 64, 65, 255, 1000, 4097, 70'001}) QTest::newRow(qPrintable(QString::number(n))) << n;
    }

    void sumsAreThoseOfTheValuesWithin_data() { lengths_data(); }
    void sumsAreThoseOfTheValuesWithin() {
        QFETCH(int, n);
        auto v = noise(n, 3);
        std::vector<std::uint8_t> hidden(v.size(), 0);
        for (std::size_t i = 0; i < v.size(); i += 7) hidden[i] = 1;
        for (std::size_t i = 3; i < v.size(); i += 11) v[i] = i % 2 ? kNan : kInf;
        for (const bool masked : {false, true}) {
            std::int64_t count = 0;
            double sum = 0, squares = 0;
            for (std::size_t i = 0; i < v.size(); ++i) {
                if (!(v[i] >= 92 && v[i] < 110) || (masked && hidden[i])) continue;
                const double d = static_cast<double>(v[i]) - 100;
                ++count;
                sum += d;
                squares += d * d;
            }
            const rows::Sums s = rows::sums(v.data(), masked ? hidden.data() : nullptr, n, 92, 110, 100);
            QCOMPARE(s.count, count);
            QVERIFY(std::abs(s.sum - sum) < 1e-4 * std::sqrt(1.0 + static_cast<double>(count)));
            QVERIFY(std::abs(s.squares - squares) < 1e-4 * (1 + squares));
        }
    }

    void codesFollowTheAsinh_data() { lengths_data(); }
    void codesFollowTheAsinh() {
        QFETCH(int, n);
        std::vector<float> v = noise(n, 8);
        Random random(5);
        for (std::size_t i = 0; i < v.size(); i += 3) v[i] = static_cast<float>((i % 2 ? 1 : -1) * std::pow(10, 12 * random.uniform() - 4));
        for (std::size_t i = 5; i < v.size(); i += 13) v[i] = i % 2 ? kNan : -kInf;
        if (v.size() > 8) v[8] = 3e38F;
        std::vector<std::uint16_t> codes(v.size());
        rows::asinhCodes(v.data(), n, {0.2F, -20.0F, 22000.0F, 2600.0F}, codes.data());
        for (std::size_t i = 0; i < v.size(); ++i) {
            const double want =
                std::isfinite(v[i])
                    ? std::clamp(22000 + 2600 * std::asinh(std::min(1e15, static_cast<double>(v[i]) * static_cast<double>(0.2F) - 20)), 1.0, 65535.0)
                    : 0;
            QVERIFY2(std::abs(codes[i] - want) <= 1.5, qPrintable(QString("%1: %2 for %3").arg(static_cast<double>(v[i])).arg(codes[i]).arg(want)));
        }
        const int half = n / 2;
        std::vector<std::uint16_t> means(static_cast<std::size_t>(half));
        rows::halveCodes(codes.data(), codes.data(), half, means.data());
        for (int i = 0; i < half; ++i)
            QCOMPARE(static_cast<int>(means[static_cast<std::size_t>(i)]),
                     (2 * (codes[static_cast<std::size_t>(2 * i)] + codes[static_cast<std::size_t>(2 * i + 1)]) + 2) / 4);
    }

    void theTopPassesOverWhatIsNoNumber_data() { lengths_data(); }
    void theTopPassesOverWhatIsNoNumber() {
        QFETCH(int, n);
        std::vector<float> v = noise(n, 4);
        v[static_cast<std::size_t>(n) / 2] = 777;
        QCOMPARE(rows::top(v.data(), n), 777.0F);
        v[static_cast<std::size_t>(n) - 1] = kNan;
        v[0] = std::numeric_limits<float>::infinity();
        QCOMPARE(rows::top(v.data(), n), n > 2 ? 777.0F : -kInf);
        std::fill(v.begin(), v.end(), kNan);
        QCOMPARE(rows::top(v.data(), n), -kInf);
    }

    /// Scaling counts exact zeros and notices infinities as the plain loop does.
    void scalingLooksAtWhatItScales_data() { lengths_data(); }
    void scalingLooksAtWhatItScales() {
        QFETCH(int, n);
        std::vector<float> v = noise(n, 5);
        const std::vector<float> before = v;
        v[static_cast<std::size_t>(n) / 3] = 0;
        std::vector<float> expected = v;
        for (float& x : expected) x = (x - 3.0F) * 0.5F;
        rows::Found found = rows::scaleAndLook(v.data(), n, 3.0F, 0.5F);
        QVERIFY(v == expected);
        QCOMPARE(found.zeros, std::int64_t{1});
        QVERIFY(!found.infinite);
        v = before;
        v[static_cast<std::size_t>(n) - 1] = -std::numeric_limits<float>::infinity();
        found = rows::scaleAndLook(v.data(), n, 0, 1);
        QVERIFY(found.infinite && found.zeros == 0);
    }

    void countsAndPlaces_data() { lengths_data(); }
    void countsAndPlaces() {
        QFETCH(int, n);
        const auto v = noise(n, 5);
        const rows::Counts c = rows::countAbove(v.data(), n, 100, 107);
        QCOMPARE(c.low, std::count_if(v.begin(), v.end(), [](float x) { return x >= 100; }));
        QCOMPARE(c.high, std::count_if(v.begin(), v.end(), [](float x) { return x >= 107; }));
        auto broken = v;
        broken[0] = kNan;
        const std::vector<float> limit(v.size(), 108), low(v.size(), 93);
        std::vector<int> reach, out, found(v.size());
        for (std::size_t i = 1; i < v.size(); ++i) {
            if (v[i] >= 108) reach.push_back(static_cast<int>(i));
            if (v[i] < 93 || v[i] > 108) out.push_back(static_cast<int>(i));
        }
        found.resize(static_cast<std::size_t>(rows::reaching(broken.data(), limit.data(), n, found.data())));
        QVERIFY(found == reach);
        found.resize(v.size());
        found.resize(static_cast<std::size_t>(rows::outside(broken.data(), low.data(), limit.data(), n, found.data())));
        QVERIFY(found == out);
        std::vector<std::uint8_t> flags(v.size());
        for (std::size_t i = 0; i < v.size(); ++i) flags[i] = v[i] >= 100;
        QCOMPARE(rows::count(flags.data(), n), c.low);
    }

    /// A peak stands above its neighbours; beyond the ends lie zeros, and of equal values in a row the last one counts.
    void peaksStandAboveTheirNeighbours_data() { lengths_data(); }
    void peaksStandAboveTheirNeighbours() {
        QFETCH(int, n);
        std::array<std::vector<float>, 3> row{noise(n, 7), noise(n, 8), noise(n, 9)};
        for (auto& r : row)
            for (float& v : r) v = std::round(v); // many are equal
        const std::vector<float> limit(row[1].size(), 101);
        const auto at = [&](std::size_t k, int x) { return x < 0 || x >= n ? 0.0F : row[k][static_cast<std::size_t>(x)]; };
        std::vector<int> expected, found(row[1].size());
        for (int x = 0; x < n; ++x) {
            bool is = at(1, x) >= 101 && at(1, x) > at(1, x - 1) && at(1, x) >= at(1, x + 1);
            for (int d = -1; d <= 1; ++d) is = is && at(1, x) > at(0, x + d) && at(1, x) >= at(2, x + d);
            if (is) expected.push_back(x);
        }
        found.resize(static_cast<std::size_t>(rows::peaks(row[0].data(), row[1].data(), row[2].data(), limit.data(), n, found.data())));
        QVERIFY(found == expected);
    }

    void rectanglesAddUpAsTheirRowsDo_data() { lengths_data(); }
    void rectanglesAddUpAsTheirRowsDo() {
        QFETCH(int, n);
        constexpr int kDown = 11;
        const int stride = n + 5;
        auto v = noise(stride * kDown, 11);
        v[static_cast<std::size_t>(stride)] = kNan;
        std::vector<std::uint8_t> hidden(v.size(), 0);
        for (std::size_t i = 0; i < v.size(); i += 4) hidden[i] = 1;
        for (const bool masked : {false, true}) {
            const rows::RectangleSums all = rows::rectangleSums(v.data(), masked ? hidden.data() : nullptr, stride, kDown, n, 92, 110, 100);
            rows::RectangleSums sum;
            for (int y = 0; y < kDown; ++y) {
                const rows::Sums s = rows::sums(v.data() + y * stride, masked ? hidden.data() + y * stride : nullptr, n, 92, 110, 100);
                sum.count += s.count, sum.sum += s.sum, sum.squares += s.squares, sum.rows += y * s.count;
            }
            QCOMPARE(all.count, sum.count);
            QCOMPARE(all.rows, sum.rows);
            QVERIFY(std::abs(all.sum - sum.sum) < 1e-5 * (1 + sum.squares));
            QVERIFY(std::abs(all.squares - sum.squares) < 1e-5 * (1 + sum.squares));
        }
    }

    void whatStandsAboveASlope() {
        std::vector<float> v{5, 7, kNan, 11}, out(4);
        rows::aboveRamp(v.data(), 4, 2, 4, out.data());
        QCOMPARE(out, (std::vector<float>{1, 1, 0, 1}));
    }

    void floatsAreTurnedRound_data() { lengths_data(); }
    void floatsAreTurnedRound() {
        QFETCH(int, n);
        const auto v = noise(n, 12);
        std::vector<std::uint32_t> raw(v.size());
        for (std::size_t i = 0; i < v.size(); ++i) raw[i] = __builtin_bswap32(std::bit_cast<std::uint32_t>(v[i]));
        std::vector<float> out(v.size());
        rows::fromFloats(raw.data(), n, out.data());
        QVERIFY(out == v);
    }

    void residualsLeaveOutWhatIsHiddenOrFar_data() { lengths_data(); }
    void residualsLeaveOutWhatIsHiddenOrFar() {
        QFETCH(int, n);
        auto v = noise(n, 6);
        v[0] = kNan;
        const std::vector<float> level(v.size(), 101);
        std::vector<std::uint8_t> hidden(v.size(), 0);
        for (std::size_t i = 0; i < v.size(); i += 3) hidden[i] = 1;
        std::vector<float> out(v.size()), mark(v.size()), sum(v.size(), 2);
        for (const bool masked : {false, true}) {
            rows::residuals(v.data(), level.data(), masked ? hidden.data() : nullptr, n, 8, out.data(), mark.data());
            for (std::size_t i = 1; i < v.size(); ++i) {
                const float d = v[i] - level[i];
                const bool in = std::abs(d) < 8 && !(masked && hidden[i]);
                QCOMPARE(mark[i], in ? 1.0F : 0.0F);
                QCOMPARE(out[i], in ? d : 0.0F);
            }
            QCOMPARE(mark[0], 0.0F);
            QVERIFY(out[0] == 0);
        }
        rows::add(mark.data(), n, sum.data());
        for (std::size_t i = 0; i < v.size(); ++i) QCOMPARE(sum[i], mark[i] + 2);
    }

    void aPatchThroughAFilter() {
        constexpr std::int64_t kStride = 100;
        const auto v = noise(100 * 100, 12);
        for (const int half : {1, 2, 4, 7, 12, rows::kMostHalf}) {
            std::vector<double> taps;
            for (int i = -half; i <= half; ++i) taps.push_back(std::exp(-0.5 * i * i / (0.2 * half * half)));
            double sum = 0, all = 0;
            for (int y = -half; y <= half; ++y)
                for (int x = -half; x <= half; ++x) {
                    const double weight = taps[static_cast<std::size_t>(x + half)] * taps[static_cast<std::size_t>(y + half)];
                    sum += weight * static_cast<double>(v[static_cast<std::size_t>((50 + y) * kStride + 50 + x)]), all += weight;
                }
            QVERIFY(std::abs(rows::filtered(v.data() + 50 * kStride + 50, kStride, taps.data(), half) - sum) < 1e-11 * 100 * all);
        }
    }

    void distancesAreCutOff_data() { lengths_data(); }
    void distancesAreCutOff() {
        QFETCH(int, n);
        std::vector<std::uint32_t> out(static_cast<std::size_t>(n));
        for (const double across : {0.0, -3.0, 41.7}) {
            rows::wholeDistances(-0.3 * n, across, n, out.data());
            for (int i = 0; i < n; ++i) {
                const double along = -0.3 * n + i;
                QCOMPARE(out[static_cast<std::size_t>(i)], static_cast<std::uint32_t>(std::sqrt(along * along + across * across)));
            }
        }
    }

    void smoothingKeepsTheSumOfAPoint() {
        std::vector<float> a(40, 0), b(40, 0), c(40, 0), room(40), out(40);
        b[20] = 16;
        rows::smooth(a.data(), b.data(), c.data(), 40, room.data(), out.data());
        QCOMPARE(out[19], 2.0F);
        QCOMPARE(out[20], 4.0F);
        rows::smooth(b.data(), a.data(), c.data(), 40, room.data(), out.data());
        QCOMPARE(out[20], 2.0F);
        QCOMPARE(out[21], 1.0F);
        const std::vector<float> flat(40, 5);
        rows::smooth(flat.data(), flat.data(), flat.data(), 40, room.data(), out.data());
        for (const float v : out) QCOMPARE(v, 5.0F);
    }
};

QTEST_GUILESS_MAIN(PixelRowsTest)
#include "pixel_rows_test.moc"
