#include "core/base/number_rows.h"
#include "core/base/statistics.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

using namespace caelumen;

/// Against the library's own functions, over all sizes that they are said to hold for.
class NumberRowsTest : public QObject {
    Q_OBJECT

private slots:
    void logarithmsAndExponentials() {
        Random random(17);
        for (const int n : {1, 3, 4, 5, 1001}) {
            std::vector<double> v(static_cast<std::size_t>(n)), out(v.size());
            const auto units = [](double got, double expected) { // of the last place
                return std::abs(got - expected) / std::max(1e-300, std::abs(std::nextafter(expected, 1e308) - expected));
            };
            for (double& x : v) x = std::exp(1380 * random.uniform() - 690);
            v[0] = 1 + 1e-9;
            rows::logarithms(v.data(), n, out.data());
            for (std::size_t i = 0; i < v.size(); ++i) QVERIFY(units(out[i], std::log(v[i])) <= 2);
            for (double& x : v) x = 1398 * random.uniform() - 699;
            v[0] = 0;
            rows::exponentials(v.data(), n, out.data());
            for (std::size_t i = 0; i < v.size(); ++i) QVERIFY(units(out[i], std::exp(v[i])) <= 2);
            const auto before = out;
            rows::exponentials(v.data(), n, v.data()); // in place
            QVERIFY(v == before);
        }
        const double one = 1;
        double out = -1;
        rows::logarithms(&one, 1, &out);
        QCOMPARE(out, 0.0);
    }

    /// What a runaway fit asks for stays in order: nothing small turns huge.
    void exponentialsEndAtTheirLimits() {
        const double v[] = {-1e300, -2000, -709, 710, 2000, 1e300};
        double out[6];
        rows::exponentials(v, 6, out);
        for (int i = 0; i < 3; ++i) QVERIFY(out[i] > 0 && out[i] < 4e-308);
        for (int i = 3; i < 6; ++i) QVERIFY(std::isfinite(out[i]) && out[i] > 8e307);
        const double none = std::numeric_limits<double>::quiet_NaN();
        rows::exponentials(&none, 1, out);
        QVERIFY(std::isnan(out[0]));
    }

    /// A value does not depend on where in a row it stands.
    void placesMakeNoDifference() {
        Random random(18);
        std::vector<double> v(23), all(v.size());
        for (double& x : v) x = 10 * random.uniform() + 0.1;
        rows::logarithms(v.data(), static_cast<int>(v.size()), all.data());
        for (std::size_t i = 0; i < v.size(); ++i) {
            double alone = 0;
            rows::logarithms(&v[i], 1, &alone);
            QCOMPARE(alone, all[i]);
        }
    }

    void mediansOfNineAreThoseOfTheSorted() {
        Random random(20);
        for (int n = 0; n < 23; ++n)
            for (const double step : {0.0, 0.5}) { // whole steps make many alike
                const auto row = [&] {
                    std::vector<double> v(static_cast<std::size_t>(n));
                    for (double& x : v) x = step > 0 ? step * std::round(random.normal() / step) : random.normal();
                    return v;
                };
                const std::vector<double> above = row(), here = row(), below = row();
                std::vector<double> out(above.size(), -99);
                rows::mediansOfNine(above.data(), here.data(), below.data(), n, out.data());
                for (int i = 0; i < n; ++i) {
                    const bool within = i > 0 && i < n - 1;
                    std::vector<double> nine;
                    for (const auto* r : {&above, &here, &below})
                        for (int k = i - 1; within && k <= i + 1; ++k) nine.push_back((*r)[static_cast<std::size_t>(k)]);
                    std::sort(nine.begin(), nine.end());
                    QCOMPARE(out[static_cast<std::size_t>(i)], within ? nine[4] : -99);
                }
            }
    }

    /// Place by place, to the last digit.
    void lightFadesAsInThePlainLoops() {
        Random random(22);
        std::vector<float> light(200);
        for (std::size_t i = 0; i < light.size(); ++i) light[i] = static_cast<float>(10 / (1.0 + static_cast<double>(i)));
        for (int round = 0; round < 200; ++round) {
            const double from = 6 * random.uniform(), to = from + 30 * random.uniform();
            const rows::Fading fading{light.data(), 4, static_cast<float>(100 * random.uniform()), from, to};
            const int across = static_cast<int>(random.index(round < 190 ? 24 : rows::Lattice::kMostAcross)), down = static_cast<int>(random.index(40));
            const rows::Lattice where{1.5, -2.5, 4, across, down, across + 3};
            const double x = 4 * across * random.uniform(), y = 4 * down * random.uniform();
            std::vector<float> made(static_cast<std::size_t>((across + 3) * down) + 1, 0.25F), expected = made;
            rows::addFading(fading, where, x, y, made.data());
            for (int j = 0; j < down; ++j)
                for (int i = 0; i < across; ++i) {
                    const double dx = 1.5 + 4.0 * i - x, dy = -2.5 + 4.0 * j - y, square = dx * dx + dy * dy;
                    if (!(square > from * from) || !(square <= to * to)) continue;
                    expected[static_cast<std::size_t>(j * (across + 3) + i)] += fading.flux * light[static_cast<std::size_t>(std::sqrt(square) * 4 + 0.5)];
                }
            QVERIFY(made == expected);
        }
    }

    void products() {
        Random random(19);
        for (const int n : {0, 1, 7, 8, 9, 250}) {
            std::vector<double> a(static_cast<std::size_t>(n)), b(a.size());
            double expected = 0, size = 1;
            for (std::size_t i = 0; i < a.size(); ++i) {
                a[i] = random.normal(), b[i] = random.normal();
                expected += a[i] * b[i], size += std::abs(a[i] * b[i]);
            }
            QVERIFY(std::abs(rows::dot(a.data(), b.data(), n) - expected) < 1e-14 * size);
        }
    }
};

QTEST_APPLESS_MAIN(NumberRowsTest)
#include "number_rows_test.moc"
