#include "core/base/pixel_rows.h"
#include "support/noisy_row.h"

#include <QTest>

#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>
#include <vector>

using namespace caelumen;
using noisy_row::noise, noisy_row::TakenWidth;

namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN(), kInf = std::numeric_limits<float>::infinity();

/// Every so manyth of `n` flags is set, the first one at any bit.
struct EveryNth {
    EveryNth(std::size_t n, std::size_t step, std::int64_t first)
        : bytes(n / 8 + 16)
        , flags{bytes.data(), first} {
        for (std::size_t i = 0; i < n; i += step) {
            const std::size_t at = i + static_cast<std::size_t>(first);
            bytes[at / 8] = static_cast<std::uint8_t>(bytes[at / 8] | 1 << at % 8);
        }
    }
    std::vector<std::uint8_t> bytes;
    Flags flags;
};

} // namespace

/// Each loop against the plain way of writing it, for lengths around the width of registers and blocks.
class PixelRowsTest : public QObject {
    Q_OBJECT

private slots:
    void lengths_data() { noisy_row::lengths(); }
    void widths_data() { noisy_row::widths(); }

    void sumsAreThoseOfTheValuesWithin_data() { lengths_data(); }
    void sumsAreThoseOfTheValuesWithin() {
        QFETCH(int, n);
        auto v = noise(n, 3);
        const EveryNth seventh(v.size(), 7, n % 11);
        for (std::size_t i = 3; i < v.size(); i += 11) v[i] = i % 2 ? kNan : kInf;
        for (const bool masked : {false, true}) {
            std::int64_t count = 0;
            double sum = 0, squares = 0;
            for (std::size_t i = 0; i < v.size(); ++i) {
                if (!(v[i] >= 92 && v[i] < 110) || (masked && i % 7 == 0)) continue;
                const double d = static_cast<double>(v[i]) - 100;
                ++count;
                sum += d;
                squares += d * d;
            }
            const rows::Sums s = rows::sums(v.data(), masked ? seventh.flags : Flags{}, n, 92, 110, 100);
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

    /// Big-endian floats scaled from where they lie are the same as turned round and scaled in place, wherever a register begins.
    void turnedOnesAreScaledAlike_data() { widths_data(); }
    void turnedOnesAreScaledAlike() {
        QFETCH(int, n);
        const TakenWidth width;
        for (const bool special : {false, true})
            for (std::size_t offset = 0; offset < 9; offset += 4) {
                std::vector<float> v = noise(n, 6);
                if (special) {
                    v[0] = 0, v[static_cast<std::size_t>(n) / 2] = kNan, v[static_cast<std::size_t>(n) - 1] = -kInf;
                    for (std::size_t i = 5; i < v.size(); i += 9) v[i] = i % 2 ? -0.0F : kInf;
                }
                std::vector<std::uint32_t> raw(v.size() + offset);
                for (std::size_t i = 0; i < v.size(); ++i) raw[i + offset] = __builtin_bswap32(std::bit_cast<std::uint32_t>(v[i]));
                std::vector<float> to(v.size() + offset + 1, 5.0F);
                const rows::Found turned = rows::scaleTurned(raw.data() + offset, n, 3.0F, 0.5F, to.data() + offset);
                const float top = rows::top(v.data(), n);
                const rows::Found found = rows::scaleAndLook(v.data(), n, 3.0F, 0.5F);
                QVERIFY(std::memcmp(to.data() + offset, v.data(), v.size() * sizeof(float)) == 0);
                QVERIFY(turned.zeros == found.zeros && turned.infinite == found.infinite && turned.top == found.top);
                QCOMPARE(found.top, top);
                QVERIFY(to.back() == 5.0F && (offset == 0 || to[offset - 1] == 5.0F));
            }
    }

    void countsAndPlaces_data() { lengths_data(); }
    void countsAndPlaces() {
        QFETCH(int, n);
        const auto v = noise(n, 5);
        const rows::Counts c = rows::countAbove(v.data(), n, 100, 107);
        QCOMPARE(c.low, std::count_if(v.begin(), v.end(), [](float x) { return x >= 100; }));
        QCOMPARE(c.high, std::count_if(v.begin(), v.end(), [](float x) { return x >= 107; }));
        std::vector<std::uint64_t> words(v.size() / 64 + 1);
        for (std::size_t i = 0; i < v.size(); ++i) words[i / 64] |= std::uint64_t{v[i] >= 100} << i % 64;
        QCOMPARE(rows::countBits(words.data(), static_cast<std::int64_t>(words.size())), c.low);
    }

    void rectanglesAddUpAsTheirRowsDo_data() { lengths_data(); }
    void rectanglesAddUpAsTheirRowsDo() {
        QFETCH(int, n);
        constexpr int kDown = 11;
        const int stride = n + 5;
        auto v = noise(stride * kDown, 11);
        v[static_cast<std::size_t>(stride)] = kNan;
        const EveryNth fourth(2 * v.size(), 4, n % 7);
        const std::int64_t flagStride = stride + 3;
        for (const bool masked : {false, true}) {
            const Flags hidden = masked ? fourth.flags : Flags{};
            const rows::RectangleSums all = rows::rectangleSums(v.data(), stride, hidden, flagStride, kDown, n, 92, 110, 100);
            rows::RectangleSums sum;
            for (int y = 0; y < kDown; ++y) {
                const rows::Sums s = rows::sums(v.data() + y * stride, hidden + y * flagStride, n, 92, 110, 100);
                sum.count += s.count, sum.sum += s.sum, sum.squares += s.squares, sum.rows += y * s.count;
            }
            QCOMPARE(all.count, sum.count);
            QCOMPARE(all.rows, sum.rows);
            QVERIFY(std::abs(all.sum - sum.sum) < 1e-5 * (1 + sum.squares));
            QVERIFY(std::abs(all.squares - sum.squares) < 1e-5 * (1 + sum.squares));
        }
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
        rows::fromFloats(raw.data(), n, reinterpret_cast<float*>(raw.data())); // in place
        QVERIFY(std::memcmp(raw.data(), v.data(), v.size() * sizeof(float)) == 0);
    }

    void whatIsHiddenOrNoNumberCountsNothing_data() { lengths_data(); }
    void whatIsHiddenOrNoNumberCountsNothing() {
        QFETCH(int, n);
        auto v = noise(n, 21);
        v[0] = kInf, v[v.size() - 1] = kNan;
        for (std::size_t i = 3; i < v.size(); i += 11) v[i] = -kInf;
        const EveryNth third(v.size(), 3, 5);
        std::vector<std::uint32_t> at(v.size());
        for (std::size_t i = 0; i < at.size(); ++i) at[i] = static_cast<std::uint32_t>(i / 5 % 9);
        for (const bool masked : {true, false}) {
            const Flags hidden = masked ? third.flags : Flags{};
            std::array<rows::Counted, 9> list{}, other{}, expected{}, expectedOther{};
            for (std::size_t i = 0; i < v.size(); ++i) {
                if (!std::isfinite(v[i]) || hidden[static_cast<int>(i)]) continue;
                rows::Counted& c = (i % 2 == 0 ? expected : expectedOther)[at[i]];
                c.value += static_cast<double>(v[i]), c.count += 1;
            }
            rows::addTo(v.data(), hidden, at.data(), n, list.data(), other.data());
            for (std::size_t k = 0; k < list.size(); ++k) {
                QVERIFY(list[k].value == expected[k].value && list[k].count == expected[k].count);
                QVERIFY(other[k].value == expectedOther[k].value && other[k].count == expectedOther[k].count);
            }
        }
    }

    void residualsLeaveOutWhatIsHiddenOrFar_data() { lengths_data(); }
    void residualsLeaveOutWhatIsHiddenOrFar() {
        QFETCH(int, n);
        auto v = noise(n, 6);
        v[0] = kNan;
        const rows::Ramp level{101, 0.001F};
        const EveryNth third(v.size(), 3, n % 9);
        for (const bool masked : {false, true}) {
            std::vector<float> sums(v.size(), 2), counts(v.size(), 3), wantedSums = sums, wantedCounts = counts;
            double sum = 0, size = 0;
            int count = 0;
            for (std::size_t i = 0; i < v.size(); ++i) {
                const float d = v[i] - level.at(static_cast<int>(i));
                if (!(std::abs(d) < 8) || (masked && i % 3 == 0)) continue;
                wantedSums[i] += d, wantedCounts[i] += 1;
                sum += static_cast<double>(d), size += static_cast<double>(std::abs(d));
                ++count;
            }
            const Flags flags = masked ? third.flags : Flags{};
            const rows::Residuals r = rows::residuals(v.data(), level, flags, n, 8, sums.data(), counts.data());
            QVERIFY(sums == wantedSums && counts == wantedCounts);
            QCOMPARE(r.count, count);
            QVERIFY(std::abs(static_cast<double>(r.sum) - sum) <= 1e-5 * size);
            const rows::Residuals alone = rows::residuals(v.data(), level, flags, n, 8, nullptr, nullptr);
            QVERIFY(alone.sum == r.sum && alone.count == r.count);
        }
        std::vector<float> sum(v.size(), 2);
        rows::add(v.data(), n, sum.data());
        for (std::size_t i = 1; i < v.size(); ++i) QCOMPARE(sum[i], v[i] + 2);
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
};

QTEST_GUILESS_MAIN(PixelRowsTest)
#include "pixel_rows_test.moc"
