#pragma once

#include "core/base/point.h"

#include <vector>

namespace caelumen {

/// Values on a lattice, row by row; NaN where there is none.
struct ValueGrid {
    std::size_t columns = 0, rows = 0;
    std::vector<double> values; ///< in whatever unit
    double at(std::size_t column, std::size_t row) const { return values[row * columns + column]; }
};

/// A straight piece of a line of equal value, in lattice units: x along columns, y along rows.
struct ContourPiece {
    Point from, to;
};

/// Where the lattice has that value, by marching squares (Lorensen & Cline 1987, in two dimensions); a saddle is parted by its mean.
std::vector<ContourPiece> contour(const ValueGrid& lattice, double level);

} // namespace caelumen
