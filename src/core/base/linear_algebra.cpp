#include "core/base/linear_algebra.h"

#include <Eigen/Dense>

namespace caelumen {

template<int N>
Column<N> solveNormal(const SquareMatrix<N>& a, const Column<N>& b) {
    return a.ldlt().solve(b);
}
template Column<2> solveNormal(const SquareMatrix<2>&, const Column<2>&);
template Column<4> solveNormal(const SquareMatrix<4>&, const Column<4>&);
template Column<6> solveNormal(const SquareMatrix<6>&, const Column<6>&);
template Column<8> solveNormal(const SquareMatrix<8>&, const Column<8>&);

template<int N>
SquareMatrix<N> inverted(const SquareMatrix<N>& a) {
    if constexpr (N > 4)
        return inverted(Eigen::MatrixXd(a)); // up to four there are formulas
    else
        return a.inverse();
}
template SquareMatrix<2> inverted(const SquareMatrix<2>&);
template SquareMatrix<3> inverted(const SquareMatrix<3>&);
template SquareMatrix<4> inverted(const SquareMatrix<4>&);
template SquareMatrix<7> inverted(const SquareMatrix<7>&);

Eigen::MatrixXd inverted(const Eigen::MatrixXd& a) {
    return a.inverse();
}

template<int N>
RankedSolution<N> solveRanked(const SquareMatrix<N>& a, const Column<N>& b) {
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a); // the one of any size, which is compiled anyway
    return {qr.solve(b), qr.inverse(), qr.rank(), qr.absDeterminant()};
}
template RankedSolution<6> solveRanked(const SquareMatrix<6>&, const Column<6>&);

LeastSquares leastSquares(const Eigen::MatrixXd& a, const Eigen::VectorXd& y) {
    const auto qr = a.colPivHouseholderQr();
    LeastSquares out{qr.solve(y), qr.rank(), 0};
    out.squares = (y - a * out.solution).squaredNorm();
    return out;
}

Eigen::MatrixXd covarianceOf(const Eigen::MatrixXd& a) {
    return (a.transpose() * a).inverse();
}

EigenSystem eigenSystemOf(const Eigen::MatrixXd& symmetric) {
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver(symmetric);
    return {solver.eigenvalues(), solver.eigenvectors()};
}

} // namespace caelumen
