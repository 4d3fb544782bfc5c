#pragma once

#include <Eigen/Core>

/// Small dense systems. What Eigen needs to take a matrix apart is compiled once, here, instead of in every file that fits something.
namespace caelumen {

template<int N>
using SquareMatrix = Eigen::Matrix<double, N, N>;
template<int N>
using Column = Eigen::Matrix<double, N, 1>;

/// x of a x = b for the symmetric matrix of normal equations (LDLT with pivoting); not finite where nothing fixes it. N: 2, 4, 6, 8.
template<int N>
Column<N> solveNormal(const SquareMatrix<N>& a, const Column<N>& b);

/// Not finite where there is none. N: 2, 3, 4, 7.
template<int N>
SquareMatrix<N> inverted(const SquareMatrix<N>& a);
Eigen::MatrixXd inverted(const Eigen::MatrixXd& a);

/// A square system of which it is asked first whether it can be solved at all (Householder QR with pivoting). N: 6.
template<int N>
struct RankedSolution {
    Column<N> solution;
    SquareMatrix<N> inverse; ///< both hold only with a rank of N
    Eigen::Index rank = 0;
    double determinant = 0; ///< without its sign
};
template<int N>
RankedSolution<N> solveRanked(const SquareMatrix<N>& a, const Column<N>& b);

struct LeastSquares {
    Eigen::VectorXd solution;
    Eigen::Index rank = 0;
    double squares = 0; ///< sum of squares that is left
};
/// Least squares of y on the columns of `a` (as many rows as y) by Householder QR with pivoting.
LeastSquares leastSquares(const Eigen::MatrixXd& a, const Eigen::VectorXd& y);
/// (a^T a)^-1: the covariance of the solution for rows of unit noise. Not finite without full rank.
Eigen::MatrixXd covarianceOf(const Eigen::MatrixXd& a);

struct EigenSystem {
    Eigen::VectorXd values;  ///< rising
    Eigen::MatrixXd vectors; ///< its columns
};
/// Eigenvalues and -vectors of a symmetric matrix.
EigenSystem eigenSystemOf(const Eigen::MatrixXd& symmetric);

} // namespace caelumen
