#include "core/base/star_rows.h"
#include "support/noisy_row.h"

#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <utility>

using namespace caelumen;
using noisy_row::noise, noisy_row::TakenWidth;

namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN();

} // namespace

/// Each loop against the plain way of writing it, for lengths around the width of registers and blocks.
class StarRowsTest : public QObject {
    Q_OBJECT

private slots:
    void lengths_data() { noisy_row::lengths(); }
    void widths_data() { noisy_row::widths(); }

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

    /// Of the blocks within a row it says what is so; of those at its ends it may say more.
    void blocksAreToldByTheirPixels_data() { widths_data(); }
    void blocksAreToldByTheirPixels() {
        QFETCH(int, n);
        const TakenWidth width;
        auto a = noise(n, 40), b = noise(n, 41), c = noise(n, 42);
        for (std::size_t i = 70; i < b.size(); i += 131) b[i] += 40;
        for (std::size_t i = 90; i < b.size(); i += 197) a[i] = b[i] = kNan;
        for (std::size_t i = 130; i < b.size(); i += 311) b[i] = 0;
        const auto blocks = static_cast<std::size_t>(rows::blocksOf(n));
        std::vector<float> bright(blocks), low(blocks), high(blocks);
        for (std::size_t k = 0; k < blocks; ++k) {
            const float i = static_cast<float>(k % 7);
            bright[k] = 103 + i, low[k] = 85 + i, high[k] = 118 - i;
        }
        std::vector<std::uint8_t> found(blocks, 9);
        rows::look(a.data(), b.data(), c.data(), n, 0, static_cast<int>(blocks), {bright.data(), low.data(), high.data()}, found.data());
        std::size_t exact = 0;
        for (std::size_t k = 0; k < blocks; ++k) {
            std::uint8_t expected = 0;
            for (int x = static_cast<int>(k) * rows::kLook; x < std::min(n, static_cast<int>(k + 1) * rows::kLook); ++x) {
                const float v = b[static_cast<std::size_t>(x)];
                if (rows::smoothed(a.data(), b.data(), c.data(), n, x) >= bright[k]) expected |= rows::kBright;
                if (v < low[k] || v > high[k]) expected |= rows::kFar;
            }
            QVERIFY2((found[k] & expected) == expected && found[k] <= (rows::kBright | rows::kFar), qPrintable(QString("block %1 of %2").arg(k).arg(blocks)));
            if (k > 0 && k + 3 < blocks) QCOMPARE(found[k], expected);
            exact += found[k] == expected;
        }
        QVERIFY(exact + 4 >= blocks);
        // A part of the blocks is told of as they are in the whole row, but for those at its ends, and nothing else is touched.
        for (const auto& [from, end] :
             {std::pair{std::size_t{0}, blocks / 2}, {blocks / 3, blocks}, {blocks / 2, std::min(blocks, blocks / 2 + 2)}, {blocks, blocks}}) {
            std::vector<std::uint8_t> part(blocks, 9);
            rows::look(a.data(), b.data(), c.data(), n, static_cast<int>(from), static_cast<int>(end), {bright.data(), low.data(), high.data()}, part.data());
            for (std::size_t k = 0; k < blocks; ++k) QCOMPARE(part[k], k >= from && k < end ? found[k] : std::uint8_t{9});
        }
    }

    void extremesAreThoseOfEachStretch_data() { widths_data(); }
    void extremesAreThoseOfEachStretch() {
        QFETCH(int, n);
        const TakenWidth width;
        constexpr float kInf = std::numeric_limits<float>::infinity();
        auto v = noise(n, 43);
        for (std::size_t i = 3; i < v.size(); i += 7) v[i] = kNan;
        for (std::size_t i = 64; i < std::min<std::size_t>(128, v.size()); ++i) v[i] = kNan;
        for (std::size_t i = 200; i < v.size(); i += 301) v[i] = i % 2 ? kInf : -kInf;
        const auto stretches = static_cast<std::size_t>(rows::stretchesOf(n));
        std::vector<std::uint32_t> raw;
        for (const float x : v) raw.push_back(__builtin_bswap32(std::bit_cast<std::uint32_t>(x)));
        std::vector<float> lows(stretches + 1, 9), highs = lows, otherLows = lows, otherHighs = lows;
        rows::extremes(v.data(), n, lows.data(), highs.data());
        rows::extremesTurned(raw.data(), n, otherLows.data(), otherHighs.data());
        for (std::size_t k = 0; k < stretches; ++k) {
            float low = kInf, high = -kInf;
            for (std::size_t x = k * rows::kStretch; x < std::min(v.size(), (k + 1) * rows::kStretch); ++x)
                if (v[x] == v[x]) low = std::min(low, v[x]), high = std::max(high, v[x]);
            QCOMPARE(lows[k], low);
            QCOMPARE(highs[k], high);
        }
        QVERIFY(lows == otherLows && highs == otherHighs);
        QVERIFY(lows.back() == 9 && highs.back() == 9);
    }

    /// Stretches of any length, at both ends and within, find what pixel by pixel is found.
    void placesAreThoseOfEachPixel_data() { lengths_data(); }
    void placesAreThoseOfEachPixel() {
        QFETCH(int, n);
        auto a = noise(n, 30), b = noise(n, 31), c = noise(n, 32);
        for (std::size_t i = 5; i < b.size(); i += 41) b[i] += 40;
        for (std::size_t i = 9; i < b.size(); i += 97) a[i] = b[i] = kNan;
        const std::vector<int> starts{0, 1, n / 3, std::max(0, n - 40), n - 1};
        for (const int from : starts)
            for (const int length : {1, 31, 32, 33, 64, 75, n}) {
                const int end = std::min(n, from + length), x0 = from / 2;
                const rows::Piece limit{x0, end - x0, {103, 0.5F / static_cast<float>(n)}}, low{x0, end - x0, {93, 0.5F / static_cast<float>(n)}},
                    high{x0, end - x0, {108, -0.25F / static_cast<float>(n)}};
                std::vector<int> bright, far, found(static_cast<std::size_t>(end - from));
                for (int x = from; x < end; ++x) {
                    if (rows::smoothed(a.data(), b.data(), c.data(), n, x) >= limit.ramp.at(x - x0)) bright.push_back(x);
                    if (const float v = b[static_cast<std::size_t>(x)]; v < low.ramp.at(x - x0) || v > high.ramp.at(x - x0)) far.push_back(x);
                }
                const auto found1 = static_cast<std::size_t>(rows::smoothReaching(a.data(), b.data(), c.data(), n, limit, from, end, found.data()));
                QVERIFY2(std::vector<int>(found.begin(), found.begin() + static_cast<std::ptrdiff_t>(found1)) == bright,
                         qPrintable(QString("%1 of %2 from %3").arg(end - from).arg(n).arg(from)));
                const auto found2 = static_cast<std::size_t>(rows::outside(b.data(), low, high, from, end, found.data()));
                QVERIFY(std::vector<int>(found.begin(), found.begin() + static_cast<std::ptrdiff_t>(found2)) == far);
            }
    }

    void whatStandsAboveRamps_data() { widths_data(); }
    void whatStandsAboveRamps() {
        QFETCH(int, n);
        const TakenWidth width;
        auto v = noise(n, 9);
        v[static_cast<std::size_t>(n) / 2] = kNan;
        const int first = n / 3, second = std::min(n, first + 64);
        const std::vector<rows::Piece> pieces{{0, first, {99.5F, 0.01F}}, {first, second - first, {101, -0.02F}}, {second, n - second, {98, 1e-4F}}};
        std::vector<float> out(v.size() + 1, 5);
        rows::aboveRamps(v.data(), pieces.data(), static_cast<int>(pieces.size()), out.data());
        for (const rows::Piece& p : pieces)
            for (int x = p.x; x < p.x + p.n; ++x) {
                const float d = v[static_cast<std::size_t>(x)] - p.ramp.at(x - p.x);
                QCOMPARE(out[static_cast<std::size_t>(x)], std::isnan(d) ? 0.0F : d);
            }
        QCOMPARE(out.back(), 5.0F);
    }

    /// The taps' pairs are added before they are weighed, from the middle outwards.
    void blursAreThoseOfThePlainLoops_data() { widths_data(); }
    void blursAreThoseOfThePlainLoops() {
        QFETCH(int, n);
        const TakenWidth width;
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
            rows::blurAcross(v.data() + half, n, taps.data(), half, out.data(), v.data());
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
                    QVERIFY(seen[k][first / rows::kLook] == any || (seen[k][first / rows::kLook] == 1 && first + 2 * rows::kLook > out.size()));
                }
            for (int row = 0; row < kCount; ++row)
                for (std::size_t x = 0; x < out.size(); ++x)
                    QCOMPARE(made[static_cast<std::size_t>(row)][x], blurred([&](int k) { return lines[static_cast<std::size_t>(row + half + k)][x]; }));
        }
    }

    /// A peak stands above its neighbours; beyond the ends lie zeros, and of equal values in a row the last one counts.
    void peaksStandAboveTheirNeighbours_data() { widths_data(); }
    void peaksStandAboveTheirNeighbours() {
        QFETCH(int, n);
        const TakenWidth width;
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
        std::vector<std::uint8_t> all(static_cast<std::size_t>(rows::blocksOf(n)), 1), some(all.size());
        for (std::size_t x = 0; x < row[1].size(); ++x) some[x / rows::kLook] |= row[1][x] >= limit[x];
        for (const auto* reaches : {&all, &some}) {
            std::vector<int> places(row[1].size());
            places.resize(static_cast<std::size_t>(rows::peaks(row[0].data(), row[1].data(), row[2].data(), limit.data(), reaches->data(), n, places.data())));
            QVERIFY(places == expected);
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
};

QTEST_GUILESS_MAIN(StarRowsTest)
#include "star_rows_test.moc"
