#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"

#include <QTest>

#include <cmath>
#include <vector>

using namespace caelumen;

/// Every size that the header promises, by what defines a solution, an inverse, a rank, a covariance and an eigenvector.
class LinearAlgebraTest : public QObject {
    Q_OBJECT

    Random m_random{3};

    /// Normal equations of more rows than unknowns.
    template<int N>
    SquareMatrix<N> normal() {
        SquareMatrix<N> a = SquareMatrix<N>::Zero();
        for (int row = 0; row < 3 * N; ++row) {
            Column<N> r;
            for (int k = 0; k < N; ++k) r[k] = m_random.normal();
            a += r * r.transpose();
        }
        return a;
    }
    template<int N>
    void solves() {
        for (int round = 0; round < 20; ++round) {
            const SquareMatrix<N> a = normal<N>();
            Column<N> x;
            for (int k = 0; k < N; ++k) x[k] = 10 * m_random.normal();
            const Column<N> b = a * x;
            QVERIFY((solveNormal<N>(a, b) - x).norm() < 1e-9 * x.norm());
        }
    }
    template<int N>
    void inverts() {
        for (int round = 0; round < 20; ++round) {
            const SquareMatrix<N> a = normal<N>(), one = a * inverted<N>(a);
            for (int i = 0; i < N; ++i)
                for (int k = 0; k < N; ++k) QVERIFY(std::abs(one(i, k) - (i == k ? 1 : 0)) < 1e-9);
        }
    }
    Eigen::MatrixXd random(int rows, int columns) {
        Eigen::MatrixXd a(rows, columns);
        for (int i = 0; i < rows; ++i)
            for (int k = 0; k < columns; ++k) a(i, k) = m_random.normal();
        return a;
    }

private slots:
    void normalEquationsAreSolved() {
        solves<2>();
        solves<4>();
        solves<6>();
        solves<8>();
    }

    /// Parameters of very different size, as a flux beside a position.
    void scalesDoNotMatter() {
        SquareMatrix<4> a = normal<4>();
        const Column<4> size{1e6, 1, 1e-4, 1e3}, x{2e-6, -1, 5e3, 3e-3};
        for (int i = 0; i < 4; ++i)
            for (int k = 0; k < 4; ++k) a(i, k) *= size[i] * size[k];
        const Column<4> there = solveNormal<4>(a, a * x);
        for (int k = 0; k < 4; ++k) QVERIFY(std::abs(there[k] / x[k] - 1) < 1e-7);
    }

    void inversesAreInverse() {
        inverts<2>();
        inverts<3>();
        inverts<4>();
        inverts<7>();
        const Eigen::MatrixXd half = random(12, 5), a = half.transpose() * half, one = a * inverted(a);
        QVERIFY((one - Eigen::MatrixXd::Identity(5, 5)).norm() < 1e-9);
    }

    void whatHasNoInverseIsSeen() {
        SquareMatrix<4> a = SquareMatrix<4>::Ones();
        QVERIFY(!inverted<4>(a).allFinite());
        // Six unknowns of which five rows tell: the rank says so.
        SquareMatrix<6> few = SquareMatrix<6>::Zero();
        for (int row = 0; row < 5; ++row) {
            Column<6> r;
            for (int k = 0; k < 6; ++k) r[k] = m_random.normal();
            few += r * r.transpose();
        }
        const auto found = solveRanked<6>(few, Column<6>::Ones());
        QCOMPARE(found.rank, Eigen::Index(5));
        QVERIFY(found.determinant < 1e-6);
        Column<6> more;
        for (int k = 0; k < 6; ++k) more[k] = m_random.normal();
        few += more * more.transpose();
        const auto all = solveRanked<6>(few, few * more);
        QCOMPARE(all.rank, Eigen::Index(6));
        QVERIFY((all.solution - more).norm() < 1e-6);
        QVERIFY((few * all.inverse - SquareMatrix<6>::Identity()).norm() < 1e-6);
        QVERIFY(all.determinant > 0);
    }

    /// What is left is at right angles to every column, and no other solution leaves less.
    void leastSquaresLeaveTheLeast() {
        const Eigen::MatrixXd a = random(30, 4);
        Eigen::VectorXd y = random(30, 1);
        const LeastSquares fit = leastSquares(a, y);
        QCOMPARE(fit.rank, Eigen::Index(4));
        const Eigen::VectorXd left = y - a * fit.solution;
        QVERIFY((a.transpose() * left).norm() < 1e-10);
        QVERIFY(std::abs(fit.squares / left.squaredNorm() - 1) < 1e-12);
        for (int k = 0; k < 4; ++k)
            for (const double step : {-1e-3, 1e-3}) {
                Eigen::VectorXd other = fit.solution;
                other[k] += step;
                QVERIFY((y - a * other).squaredNorm() > fit.squares);
            }
        Eigen::MatrixXd twice = a;
        twice.col(3) = 2 * twice.col(1);
        QCOMPARE(leastSquares(twice, y).rank, Eigen::Index(3));
    }

    /// The scatter of fits to the same rows with noise of one is what the covariance says.
    void covarianceIsTheScatterOfFits() {
        const Eigen::MatrixXd a = random(25, 3), covariance = covarianceOf(a);
        constexpr int kFits = 4000;
        Eigen::MatrixXd scatter = Eigen::MatrixXd::Zero(3, 3);
        for (int i = 0; i < kFits; ++i) {
            const Eigen::VectorXd p = leastSquares(a, random(25, 1)).solution;
            scatter += p * p.transpose() / kFits;
        }
        for (int i = 0; i < 3; ++i) // a variance of n fits is known to sqrt(2 / n); four sigmas
            QVERIFY(std::abs(scatter(i, i) / covariance(i, i) - 1) < 4 * std::sqrt(2.0 / kFits));
    }

    void eigenvectorsStandForTheMatrix() {
        const Eigen::MatrixXd half = random(9, 6), a = half.transpose() * half;
        const EigenSystem system = eigenSystemOf(a);
        Eigen::MatrixXd again = Eigen::MatrixXd::Zero(6, 6);
        for (int i = 0; i < 6; ++i) {
            const Eigen::VectorXd v = system.vectors.col(i);
            QVERIFY((a * v - system.values[i] * v).norm() < 1e-10 * a.norm());
            QVERIFY(std::abs(v.norm() - 1) < 1e-12);
            QVERIFY(i == 0 || system.values[i] >= system.values[i - 1]);
            again += system.values[i] * v * v.transpose();
        }
        QVERIFY((again - a).norm() < 1e-10 * a.norm());
    }
};

QTEST_GUILESS_MAIN(LinearAlgebraTest)
#include "linear_algebra_test.moc"
