#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"

#include <QTest>

#include <array>
#include <bit>
#include <cmath>
#include <cstring>
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
    void lengths_data() {
        QTest::addColumn<int>("n");
        for (const int n : {1, 2, 15, 16, 17, 63, 64, 65, 255, 1000, 4097, 70'001}) QTest::newRow(qPrintable(QString::number(n))) << n;
    }

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
    void turnedOnesAreScaledAlike_data() { lengths_data(); }
    void turnedOnesAreScaledAlike() {
        QFETCH(int, n);
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
        auto broken = v;
        broken[0] = kNan;
        const rows::Ramp low{93, 0.5F / static_cast<float>(n)}, high{108, -0.25F / static_cast<float>(n)};
        std::vector<int> out, found(v.size());
        for (int i = 1; i < n; ++i)
            if (const float x = v[static_cast<std::size_t>(i)]; x < low.at(i) || x > high.at(i)) out.push_back(i);
        found.resize(static_cast<std::size_t>(rows::outside(broken.data(), low, high, n, found.data())));
        QVERIFY(found == out);
        std::vector<std::uint64_t> words(v.size() / 64 + 1);
        for (std::size_t i = 0; i < v.size(); ++i) words[i / 64] |= std::uint64_t{v[i] >= 100} << i % 64;
        QCOMPARE(rows::countBits(words.data(), static_cast<std::int64_t>(words.size())), c.low);
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
        std::vector<int> expected;
        for (int x = 0; x < n; ++x) {
            bool is = at(1, x) >= 101 && at(1, x) > at(1, x - 1) && at(1, x) >= at(1, x + 1);
            for (int d = -1; d <= 1; ++d) is = is && at(1, x) > at(0, x + d) && at(1, x) >= at(2, x + d);
            if (is) expected.push_back(x);
        }
        std::vector<std::uint8_t> all(row[1].size() / rows::kLook + 1, 1), some(all.size());
        for (std::size_t x = 0; x < row[1].size(); ++x) some[x / rows::kLook] |= row[1][x] >= limit[x];
        for (const auto* reaches : {&all, &some}) {
            std::vector<int> places(row[1].size());
            places.resize(static_cast<std::size_t>(rows::peaks(row[0].data(), row[1].data(), row[2].data(), limit.data(), reaches->data(), n, places.data())));
            QVERIFY(places == expected);
        }
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
        auto v = noise(n, 13);
        v[0] = kInf;
        for (std::size_t i = 2; i < v.size(); i += 10) v[i] = i % 4 ? kNan : -kInf;
        const EveryNth third(v.size(), 3, n % 8);
        for (const bool masked : {false, true}) {
            std::vector<rows::Counted> out(v.size(), {7, 7});
            rows::countedOf(v.data(), masked ? third.flags : Flags{}, n, out.data());
            for (std::size_t i = 0; i < v.size(); ++i) {
                const bool counts = std::isfinite(v[i]) && !(masked && i % 3 == 0);
                QVERIFY(out[i].value == (counts ? static_cast<double>(v[i]) : 0) && out[i].count == (counts ? 1 : 0));
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

    /// The taps' pairs are added before they are weighed, from the middle outwards.
    void blursAreThoseOfThePlainLoops_data() { lengths_data(); }
    void blursAreThoseOfThePlainLoops() {
        QFETCH(int, n);
        const std::vector<float> taps{0.3F, 0.2F, 0.1F, 0.05F, 0.02F};
        for (const int half : {1, 4}) {
            const auto v = noise(n + 2 * half, 7);
            std::vector<float> out(static_cast<std::size_t>(n)), expected(out.size());
            const auto blurred = [&](auto at) {
                float sum = taps[0] * at(0);
                for (int k = 1; k <= half; ++k) sum += taps[static_cast<std::size_t>(k)] * (at(-k) + at(k));
                return sum;
            };
            for (int i = 0; i < n; ++i) expected[static_cast<std::size_t>(i)] = blurred([&](int k) { return v[static_cast<std::size_t>(i + half + k)]; });
            rows::blurAcross(v.data() + half, n, taps.data(), half, out.data());
            QVERIFY(out == expected);

            constexpr int kCount = 3;
            std::vector<std::vector<float>> lines, made(kCount, out);
            std::vector<const float*> from;
            std::vector<float*> to;
            for (int k = 0; k < 2 * half + kCount; ++k) lines.push_back(noise(n, 20 + static_cast<unsigned>(k)));
            for (const auto& line : lines) from.push_back(line.data());
            for (auto& line : made) to.push_back(line.data());
            std::vector<std::vector<float>> limits;
            std::vector<const float*> limit;
            std::vector<std::vector<std::uint8_t>> seen(kCount, std::vector<std::uint8_t>(static_cast<std::size_t>(n) / rows::kLook + 1, 9));
            std::vector<std::uint8_t*> reaches;
            for (int k = 0; k < kCount; ++k) { // every so manyth place has one that it reaches
                limits.emplace_back(static_cast<std::size_t>(n), 1e9F);
                for (std::size_t x = static_cast<std::size_t>(k) * 50; x < limits.back().size(); x += 97) limits.back()[x] = 0;
            }
            for (std::size_t k = 0; k < kCount; ++k) limit.push_back(limits[k].data()), reaches.push_back(seen[k].data());
            rows::blurDown(from.data(), n, taps.data(), half, to.data(), kCount, {limit.data(), reaches.data()});
            for (std::size_t k = 0; k < kCount; ++k)
                for (std::size_t first = 0; first < out.size(); first += rows::kLook) {
                    bool any = false;
                    for (std::size_t x = first; x < std::min(out.size(), first + rows::kLook); ++x) any = any || made[k][x] >= limits[k][x];
                    QVERIFY(seen[k][first / rows::kLook] == any || (seen[k][first / rows::kLook] == 1 && first + rows::kLook > out.size()));
                }
            for (int row = 0; row < kCount; ++row)
                for (std::size_t x = 0; x < out.size(); ++x)
                    QCOMPARE(made[static_cast<std::size_t>(row)][x], blurred([&](int k) { return lines[static_cast<std::size_t>(row + half + k)][x]; }));
        }
    }

    void whatStandsAboveARamp_data() { lengths_data(); }
    void whatStandsAboveARamp() {
        QFETCH(int, n);
        auto v = noise(n, 9);
        v[static_cast<std::size_t>(n) / 2] = kNan;
        const rows::Ramp ramp{99.5F, 0.01F};
        std::vector<float> out(v.size());
        rows::aboveRamp(v.data(), ramp, n, out.data());
        for (int i = 0; i < n; ++i) {
            const float d = v[static_cast<std::size_t>(i)] - ramp.at(i);
            QCOMPARE(out[static_cast<std::size_t>(i)], std::isnan(d) ? 0.0F : d);
        }
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
        std::vector<float> a(40, 0), b(40, 0), c(40, 0);
        b[20] = 16;
        const auto at = [&](const auto& one, const auto& two, const auto& three, int x) { return rows::smoothed(one.data(), two.data(), three.data(), 40, x); };
        QCOMPARE(at(a, b, c, 19), 2.0F);
        QCOMPARE(at(a, b, c, 20), 4.0F);
        QCOMPARE(at(b, a, c, 20), 2.0F);
        QCOMPARE(at(b, a, c, 21), 1.0F);
        const std::vector<float> flat(40, 5);
        for (int x = 0; x < 40; ++x) QCOMPARE(at(flat, flat, flat, x), 5.0F);
        QCOMPARE(rows::smoothed(flat.data(), flat.data(), flat.data(), 1, 0), 5.0F);
    }

    /// Pieces of any length, at both ends and within, find what pixel by pixel is found.
    void smoothedPlacesAreThoseOfEachPixel_data() { lengths_data(); }
    void smoothedPlacesAreThoseOfEachPixel() {
        QFETCH(int, n);
        auto a = noise(n, 30), b = noise(n, 31), c = noise(n, 32);
        for (std::size_t i = 5; i < b.size(); i += 41) b[i] += 40;
        for (std::size_t i = 9; i < b.size(); i += 97) a[i] = kNan;
        const std::vector<int> starts{0, 1, n / 3, std::max(0, n - 40), n - 1};
        for (const int from : starts)
            for (const int length : {1, 31, 32, 33, 64, 75, n}) {
                const int count = std::min(length, n - from);
                if (count < 1) continue;
                const rows::Ramp limit{103, 0.5F / static_cast<float>(count)};
                std::vector<int> expected, found(static_cast<std::size_t>(count));
                for (int x = from; x < from + count; ++x)
                    if (rows::smoothed(a.data(), b.data(), c.data(), n, x) >= limit.at(x - from)) expected.push_back(x);
                found.resize(static_cast<std::size_t>(rows::smoothReaching(a.data(), b.data(), c.data(), n, from, count, limit, found.data())));
                QVERIFY2(found == expected, qPrintable(QString("%1 of %2 from %3").arg(count).arg(n).arg(from)));
            }
    }
};

QTEST_GUILESS_MAIN(PixelRowsTest)
#include "pixel_rows_test.moc"
