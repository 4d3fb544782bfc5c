#include "core/base/stack_rows.h"
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

/// Sky of 100 +- 5, without values here and there.
std::vector<float> someRow(int n, unsigned long long seed) {
    Random random(seed);
    std::vector<float> v(static_cast<std::size_t>(n));
    for (float& x : v) {
        x = static_cast<float>(100 + 5 * random.normal());
        if (random.uniform() < 0.1) x = kNan;
    }
    return v;
}

bool same(const std::vector<float>& a, const std::vector<float>& b) {
    for (std::size_t i = 0; i < a.size(); ++i)
        if (std::bit_cast<std::uint32_t>(a[i]) != std::bit_cast<std::uint32_t>(b[i]) && !(std::isnan(a[i]) && std::isnan(b[i]))) return false;
    return a.size() == b.size();
}

/// What rows come to, with room of its own.
struct Sums {
    std::vector<float> sum, weight, count, low, high;
    explicit Sums(std::size_t n)
        : sum(n)
        , weight(n)
        , count(n)
        , low(n, kInf)
        , high(n, -kInf) {}
    rows::Gathered rows() { return {sum.data(), weight.data(), count.data(), low.data(), high.data()}; }
    void add(std::size_t i, float d, float by) {
        sum[i] += by * d, weight[i] += by, count[i] += 1;
        low[i] = std::min(low[i], d), high[i] = std::max(high[i], d);
    }
    bool operator==(const Sums& o) const {
        return same(sum, o.sum) && same(weight, o.weight) && same(count, o.count) && same(low, o.low) && same(high, o.high);
    }
};

} // namespace

/// Each loop against the plain way of writing it, to the last digit.
class StackRowsTest : public QObject {
    Q_OBJECT

private slots:
    void lengths_data() {
        QTest::addColumn<int>("n");
        for (const int n : {1, 2, 7, 8, 9, 31, 64, 65, 1000, 6203}) QTest::newRow(qPrintable(QString::number(n))) << n;
    }

    void whatRowsComeTo_data() { lengths_data(); }
    void whatRowsComeTo() {
        QFETCH(int, n);
        const auto size = static_cast<std::size_t>(n);
        Random random(4);
        std::vector<std::uint8_t> each(size), turn(size);
        for (auto& e : each) e = random.uniform() < 0.5;
        Sums all(size), odd(size), even(size), joined(size), plain(size), plainOdd(size), plainEven(size);
        std::vector<std::vector<float>> values;
        std::vector<const float*> pointers;
        std::vector<float> weights;
        for (unsigned s = 0; s < 7; ++s) values.push_back(someRow(n, s)), weights.push_back(1 + 0.3F * static_cast<float>(s));
        for (const auto& v : values) pointers.push_back(v.data());
        rows::gather(pointers.data(), weights.data(), 7, n, 98, all.rows());
        rows::gatherByTurns(pointers.data(), weights.data(), 7, n, 98, each.data(), odd.rows(), even.rows());
        for (std::size_t s = 0; s < values.size(); ++s)
            for (std::size_t i = 0; i < size; ++i) {
                if (std::isnan(values[s][i])) continue;
                const float d = values[s][i] - 98;
                plain.add(i, d, weights[s]);
                const bool late = each[i] ? turn[i] != 0 : s % 2 == 1;
                turn[i] = !turn[i];
                (late ? plainEven : plainOdd).add(i, d, weights[s]);
            }
        QVERIFY(all == plain);
        QVERIFY(odd == plainOdd);
        QVERIFY(even == plainEven);
        rows::join(odd.rows(), even.rows(), n, joined.rows());
        QVERIFY(same(joined.count, plain.count) && same(joined.low, plain.low) && same(joined.high, plain.high));
        for (std::size_t i = 0; i < size; ++i) QCOMPARE(joined.sum[i], odd.sum[i] + even.sum[i]);
    }

    void dropsAreCountedAndPassedOver_data() { lengths_data(); }
    void dropsAreCountedAndPassedOver() {
        QFETCH(int, n);
        const auto size = static_cast<std::size_t>(n);
        std::vector<std::uint16_t> values(size, 3), reached(size, 65'534), plainValues = values, plainReached = reached;
        auto v = someRow(n, 9);
        for (std::size_t i = 0; i < size; i += 3) v[i] = kInf;
        auto expected = v;
        rows::takeDrops(v.data(), n, values.data(), reached.data());
        for (std::size_t i = 0; i < size; ++i) {
            if (!std::isnan(expected[i])) ++plainReached[i];
            if (std::isfinite(expected[i]))
                ++plainValues[i];
            else
                expected[i] = kNan;
        }
        QVERIFY(values == plainValues && reached == plainReached && same(v, expected));
    }

    void calibrating_data() { lengths_data(); }
    void calibrating() {
        QFETCH(int, n);
        const auto v = someRow(n, 1), zero = someRow(n, 2), factor = someRow(n, 3);
        for (const bool takesZero : {false, true})
            for (const bool scales : {false, true}) {
                std::vector<float> out(v.size()), expected;
                rows::calibrate(v.data(), n, takesZero ? zero.data() : nullptr, 7, scales ? factor.data() : nullptr, out.data());
                for (std::size_t i = 0; i < v.size(); ++i) {
                    const float above = v[i] - (takesZero ? zero[i] : 7.0F);
                    expected.push_back(scales ? above * factor[i] : above);
                }
                QVERIFY(same(out, expected));
                out = v; // in place as well
                rows::calibrate(out.data(), n, takesZero ? zero.data() : nullptr, 7, scales ? factor.data() : nullptr, out.data());
                QVERIFY(same(out, expected));
            }
    }

    void levelling_data() { lengths_data(); }
    void levelling() {
        QFETCH(int, n);
        auto v = someRow(n, 5);
        std::vector<float> expected;
        for (std::size_t i = 0; i < v.size(); ++i) expected.push_back((v[i] - 3.5F - 0.01F * static_cast<float>(i)) * 1.07F + 2.0F);
        rows::level(v.data(), n, 3.5F, 0.01F, 1.07F, 2);
        QVERIFY(same(v, expected));
    }

    void interpolating_data() { lengths_data(); }
    void interpolating() {
        QFETCH(int, n);
        std::vector<std::vector<float>> lattice;
        std::array<const float*, 6> six{};
        for (unsigned r = 0; r < 6; ++r) lattice.push_back(someRow(n + 5, 20 + r));
        for (std::size_t r = 0; r < 6; ++r) six[r] = lattice[r].data() + 2;
        const rows::SixTaps across{{0.02F, -0.1F, 0.9F, 0.25F, -0.08F, 0.01F}, {1e-5F, -2e-5F, -1e-5F, 3e-5F, 0, -1e-5F}},
            down{{0, -0.05F, 0.6F, 0.5F, -0.06F, 0.01F}, {0, 1e-5F, -1e-5F, 2e-5F, -2e-5F, 0}};
        std::vector<float> room(static_cast<std::size_t>(n) + 5), out(static_cast<std::size_t>(n), 4.0F), expected;
        rows::sixPoint(six.data(), across, down, n, 0.5F, room.data(), out.data());
        const auto tap = [](const rows::SixTaps& of, std::size_t k, int at) { return of.start[k] + of.step[k] * static_cast<float>(at); };
        for (int i = 0; i < n; ++i) {
            float sum = 0;
            for (int k = 0; k < 6; ++k) {
                float column = 0;
                for (std::size_t r = 0; r < 6; ++r) {
                    const float part = tap(down, r, i + k - 2) * lattice[r][static_cast<std::size_t>(i + k)];
                    column = r == 0 ? part : column + part;
                }
                const float part = tap(across, static_cast<std::size_t>(k), i) * column;
                sum = k == 0 ? part : sum + part;
            }
            expected.push_back(4.0F + 0.5F * sum);
        }
        QVERIFY(same(out, expected));
    }

    void screening_data() { lengths_data(); }
    void screening() {
        QFETCH(int, n);
        const auto size = static_cast<std::size_t>(n);
        Sums all(size);
        for (unsigned s = 0; s < 5; ++s) {
            const auto v = someRow(n, 40 + s);
            for (std::size_t i = 0; i < size; ++i)
                if (!std::isnan(v[i])) all.add(i, v[i] - (s == 2 && i % 5 == 0 ? 38.0F : 98.0F), 1);
        }
        for (std::size_t i = 0; i < size; i += 11) all.sum[i] = all.weight[i] = all.count[i] = 0, all.low[i] = kInf, all.high[i] = -kInf; // none at all
        const rows::Screen how{98, 25, 0.5F, 0.01F, 3, 2.5F, -0.02F, 30};
        std::vector<float> out(size);
        std::vector<std::uint8_t> doubtful(size);
        rows::screen(all.rows(), n, how, out.data(), doubtful.data());
        int seen = 0;
        for (std::size_t i = 0; i < size; ++i) {
            const bool none = all.count[i] == 0;
            const float mean = none ? 0 : all.sum[i] / all.weight[i], above = std::max(0.0F, mean), noise2 = how.sky2 + how.photon * above,
                        sigma = std::sqrt(noise2 + how.part2 * above * above);
            const bool far = all.high[i] - mean > how.high * sigma || mean - all.low[i] > how.low * sigma;
            QCOMPARE(int{doubtful[i]}, none || far ? 1 : 0);
            const float back = all.count[i] > 2 && above < how.partLimit ? how.bias * std::sqrt(noise2) : 0;
            QCOMPARE(std::bit_cast<std::uint32_t>(out[i]), std::bit_cast<std::uint32_t>(how.level + mean - back));
            seen += far && !none;
        }
        QVERIFY(n < 64 || seen > n / 8);
    }
};

QTEST_GUILESS_MAIN(StackRowsTest)
#include "stack_rows_test.moc"
