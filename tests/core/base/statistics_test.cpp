#include "core/base/statistics.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <numeric>

using namespace caelumen;

class StatisticsTest : public QObject {
    Q_OBJECT

private slots:
    void medianOfOddAndEvenCounts() {
        std::vector<double> odd{5, 1, 3}, even{4, 1, 3, 2}, none;
        QCOMPARE(median(std::span<double>(odd)), 3.0);
        QCOMPARE(median(std::span<double>(even)), 2.5);
        QCOMPARE(median(std::span<double>(none)), 0.0);
    }

    /// Limits about the scatter itself, a hair to either side and right between the two values in the middle.
    void aScatterIsHeldAgainstALimit() {
        Random random(32);
        for (int round = 0; round < 400; ++round) {
            std::vector<double> v(random.index(40));
            for (double& x : v) x = round % 3 == 0 ? std::round(3 * random.normal()) : random.normal();
            std::vector<double> copy = v;
            const double scatter = robustSigma(copy);
            for (const double limit : {0.0, 0.5 * scatter, scatter * (1 - 1e-9), scatter * (1 + 1e-9), 0.9 * scatter, 1.1 * scatter, 2.0}) {
                copy = v;
                QCOMPARE(robustSigmaExceeds(copy, limit), scatter > limit);
            }
        }
    }

    /// Of many values only those near the middle are sorted: whatever their shape and order, it is the median of all.
    void medianOfManyIsThatOfTheSorted() {
        Random random(31);
        for (int round = 0; round < 300; ++round) {
            std::vector<double> v(900 + random.index(3000));
            for (std::size_t i = 0; i < v.size(); ++i) {
                const double t = random.uniform();
                v[i] = round % 5 == 0   ? std::pow(t, 8)
                       : round % 5 == 1 ? std::floor(4 * t)
                       : round % 5 == 2 ? static_cast<double>(i)
                       : round % 5 == 3 ? (i % 61 == 0 ? 1e6 : t) // a sample at even steps may see nothing else
                                        : random.normal();
            }
            std::vector<double> sorted = v;
            std::sort(sorted.begin(), sorted.end());
            const std::size_t mid = v.size() / 2;
            QCOMPARE(median(std::span<double>(v)), v.size() % 2 ? sorted[mid] : 0.5 * (sorted[mid - 1] + sorted[mid]));
        }
    }

    void quantileInterpolates() {
        std::vector<double> v{0, 10, 20, 30, 40};
        QCOMPARE(quantile(v, 0.25), 10.0);
        QCOMPARE(quantile(v, 0.6), 24.0);
        QCOMPARE(quantile(v, 1.0), 40.0);
    }

    /// Clipping at 3 sigma must neither move the mean nor shrink the sigma of a normal sample: 4 standard errors of 40 000 values.
    void clippingIsUnbiasedForNormalNoise() {
        Random random(7);
        std::vector<double> v(40'000);
        for (double& x : v) x = 50 + 4 * random.normal();
        const ClippedStats s = clippedStats(std::span<double>(v));
        QVERIFY(std::abs(s.mean - 50) < 4 * 4 / 200.0);
        QVERIFY(std::abs(s.sigma - 4) < 4 * 4 / std::sqrt(80'000.0));
    }

    void clippingLeavesOutliersOut() {
        std::vector<float> v(1000, 10.0F);
        for (std::size_t i = 0; i < v.size(); ++i) v[i] += static_cast<float>(i % 7) * 0.1F;
        for (std::size_t i = 0; i < 30; ++i) v[i * 30] = 5000;
        const ClippedStats s = clippedStats(std::span<float>(v));
        QVERIFY(s.mean < 11);
        QCOMPARE(s.count, std::size_t{970});
    }

    void constantValuesHaveNoSigma() {
        std::vector<float> v(50, 3.0F);
        const ClippedStats s = clippedStats(std::span<float>(v));
        QCOMPARE(s.mean, 3.0);
        QCOMPARE(s.sigma, 0.0);
        QCOMPARE(s.count, std::size_t{50});
    }

    void emptyInputCountsNothing() { QCOMPARE(clippedStats(std::span<double>{}).count, std::size_t{0}); }

    void madConstantIsThatOfTheNormal() {
        // 1 / inverse normal CDF of 3/4, by bisection on erf.
        double low = 0, high = 2;
        for (int i = 0; i < 100; ++i) {
            const double mid = (low + high) / 2;
            (0.5 * (1 + std::erf(mid / std::sqrt(2.0))) < 0.75 ? low : high) = mid;
        }
        QVERIFY(std::abs(kMadToSigma - 1 / low) < 1e-9);
    }

    /// Half of the values ten times noisier than the others: the middle is known better than the spread of all would say.
    void errorOfTheMedianHoldsForUnequalValues() {
        Random random(4);
        std::vector<double> medians, claims;
        for (int round = 0; round < 400; ++round) {
            std::vector<double> values;
            for (int i = 0; i < 120; ++i) values.push_back((i % 2 == 0 ? 1 : 10) * random.normal());
            claims.push_back(medianSigma(values));
            medians.push_back(median(std::span<double>(values)));
        }
        double square = 0, claim = 0;
        for (std::size_t i = 0; i < medians.size(); ++i) square += medians[i] * medians[i] / 400, claim += claims[i] / 400;
        QVERIFY2(std::abs(claim / std::sqrt(square) - 1) < 0.15, qPrintable(QString("%1 claimed, %2 seen").arg(claim).arg(std::sqrt(square))));
    }

    void randomIsRepeatable() {
        Random a(42), b(42), c(43);
        bool differs = false;
        for (int i = 0; i < 100; ++i) {
            const auto x = a.next();
            QCOMPARE(x, b.next());
            differs = differs || x != c.next();
        }
        QVERIFY(differs);
    }

    void poissonHasItsMeanAndVariance_data() {
        QTest::addColumn<double>("mean");
        QTest::newRow("small") << 0.7;
        QTest::newRow("exact branch") << 12.0;
        QTest::newRow("normal branch") << 250.0;
    }
    void poissonHasItsMeanAndVariance() {
        QFETCH(double, mean);
        Random random(5);
        const int n = 40'000;
        double sum = 0, squares = 0;
        for (int i = 0; i < n; ++i) {
            const double x = random.poisson(mean);
            QVERIFY(x >= 0);
            sum += x;
            squares += x * x;
        }
        const double m = sum / n, variance = squares / n - m * m;
        QVERIFY(std::abs(m - mean) < 4 * std::sqrt(mean / n));
        QVERIFY(std::abs(variance / mean - 1) < 0.05); // 4 standard errors of a variance: 4 sqrt(2 / n) plus the Poisson kurtosis
    }
};

QTEST_GUILESS_MAIN(StatisticsTest)
#include "statistics_test.moc"
