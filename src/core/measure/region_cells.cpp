#include "core/measure/region_cells.h"

#include "core/base/linear_algebra.h"

#include <array>

namespace caelumen {
namespace {

/// The cells beside one that the region reaches, as indices; how many.
std::size_t sidesOf(const RegionCells& grid, std::size_t i, std::array<std::size_t, 4>& sides) {
    const auto across = grid.across(), all = grid.cells.size();
    std::size_t n = 0;
    const auto side = [&](bool inside, std::size_t k) {
        if (inside && grid.cells[k].whole > 0) sides[n++] = k;
    };
    side(i % across > 0, i - 1);
    side(i % across + 1 < across, i + 1);
    side(i >= across, i - across);
    side(i + across < all, i + across);
    return n;
}

/// A region's light as a hump or slope: a polynomial of the second degree through its seen cells.
class Trend {
public:
    explicit Trend(const RegionCells& grid) {
        std::vector<const RegionCell*> seen;
        double n = 0, x = 0, y = 0, square = 0;
        for (const RegionCell& c : grid.cells) {
            if (!(c.whole > 0) || !c.isKnown()) continue;
            seen.push_back(&c);
            n += c.n, x += c.x, y += c.y;
        }
        if (seen.size() < 12) return;
        m_x = x / n, m_y = y / n;
        for (const RegionCell* c : seen) square += c->n * (std::pow(c->x / c->n - m_x, 2) + std::pow(c->y / c->n - m_y, 2));
        m_unit = std::sqrt(square / n);
        if (!(m_unit > 0)) return;
        SquareMatrix<6> a = SquareMatrix<6>::Zero();
        Column<6> g = Column<6>::Zero();
        for (const RegionCell* c : seen) {
            const auto basis = at(c->x / c->n, c->y / c->n);
            a += c->n * basis * basis.transpose();
            g += (c->sum - c->starlight) * basis;
        }
        const auto fit = solveRanked(a, g);
        if (fit.rank < 6 || fit.determinant < 1e-9 * std::pow(n, 6)) return; // cells in a row tell no bend across it
        m_p = fit.solution;
        m_covariance = fit.inverse;
    }
    double operator()(double x, double y) const { return m_unit > 0 ? at(x, y).dot(m_p) : 0; }

    /// Error of the mean over all of the region that the trend brings, by noise of one in each pixel: where stars hide a part, it is carried on over that part.
    double errorOfMean(const RegionCells& grid) const {
        if (!(m_unit > 0)) return 0;
        Column<6> all = Column<6>::Zero(), used = all;
        double whole = 0, n = 0;
        for (const RegionCell& c : grid.cells) {
            if (!(c.whole > 0)) continue;
            all += c.whole * at(c.wholeX / c.whole, c.wholeY / c.whole), whole += c.whole;
            if (c.isKnown()) used += c.whole * at(c.x / c.n, c.y / c.n), n += c.whole;
        }
        const Column<6> carried = all / whole - used / n;
        return std::sqrt(std::max(0.0, carried.dot(m_covariance * carried)));
    }

private:
    Column<6> at(double x, double y) const {
        const double u = (x - m_x) / m_unit, v = (y - m_y) / m_unit;
        return {1, u, v, u * u, u * v, v * v};
    }
    double m_x = 0, m_y = 0, m_unit = 0;
    Column<6> m_p = Column<6>::Zero();
    SquareMatrix<6> m_covariance = SquareMatrix<6>::Zero(); ///< for noise of one in each pixel
};

/// Gives cells that stars hide (nearly) whole the light that their neighbours lead to expect: a bright star on the brightest part must not take that part out
/// of the mean. Solves Laplace's equation over the hidden cells, for what is left beside the trend: it knows no humps. And, the other way round, how much of
/// them each seen cell then stands for.
void fillHidden(RegionCells& grid) {
    std::vector<std::size_t> hidden;
    double sum = 0, n = 0, most = 0;
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const RegionCell& c = grid.cells[i];
        if (c.whole > 0 && !c.isKnown())
            hidden.push_back(i);
        else if (c.whole > 0)
            sum += c.level, most = std::max(most, std::abs(c.level)), ++n;
    }
    if (hidden.empty() || n < 3) return;
    for (const std::size_t i : hidden) {
        grid.cells[i].filled = sum / n;
        grid.cells[i].isFilled = true;
    }
    const auto valueOf = [&](std::size_t i) { return grid.cells[i].isKnown() ? grid.cells[i].level : grid.cells[i].filled; };
    std::array<std::size_t, 4> sides{};
    for (int round = 0; round < 300; ++round) {
        double moved = 0;
        for (const std::size_t i : hidden) {
            const std::size_t count = sidesOf(grid, i, sides);
            if (count == 0) continue;
            double total = 0;
            for (std::size_t k = 0; k < count; ++k) total += valueOf(sides[k]);
            const double level = total / static_cast<double>(count);
            moved = std::max(moved, std::abs(level - grid.cells[i].filled));
            grid.cells[i].filled = level;
        }
        if (moved < 1e-5 * most) break;
    }
    // Each hidden cell's area wanders evenly to its sides until seen cells have taken it all.
    double left = 0;
    for (const std::size_t i : hidden) left += grid.cells[i].speaksFor = grid.cells[i].whole;
    const double enough = 0.002 * left;
    for (int round = 0; round < 300 && left > enough; ++round) {
        for (const std::size_t i : hidden) {
            const std::size_t count = sidesOf(grid, i, sides);
            if (count == 0) continue;
            const double share = grid.cells[i].speaksFor / static_cast<double>(count);
            left -= grid.cells[i].speaksFor;
            grid.cells[i].speaksFor = 0;
            for (std::size_t k = 0; k < count; ++k) {
                grid.cells[sides[k]].speaksFor += share;
                if (!grid.cells[sides[k]].isKnown()) left += share;
            }
        }
    }
}

} // namespace

void levelStructured(RegionCells& grid) {
    const Trend trend(grid);
    for (RegionCell& c : grid.cells)
        if (c.n > 0) c.level = (c.sum - c.starlight) / c.n - trend(c.x / c.n, c.y / c.n);
    fillHidden(grid);
    for (RegionCell& c : grid.cells)
        if (c.whole > 0) c.trend = trend(c.wholeX / c.whole, c.wholeY / c.whole);
    grid.trendError = trend.errorOfMean(grid);
}

} // namespace caelumen
