#include "core/measure/region_sum.h"

#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>
#include <span>

namespace caelumen {
namespace {

/// The stretches x0 <= x < x1 of row `y` that lie in a region. A convex one has one, whose ends are looked for from outside; a polygon those between its crossings.
class RowSpans {
public:
    RowSpans(const Region& region, const PlaneView& view) : m_region(region), m_toBaseline(view.backward()), m_box(view.boxOf(region)) {
        if (region.shape == RegionShape::Polygon)
            for (const Point& p : region.points) m_corners.push_back(view.toPlane(p));
    }
    const PlaneView::Box& box() const { return m_box; }
    const std::vector<std::pair<int, int>>& at(int y) {
        m_spans.clear();
        if (m_region.shape == RegionShape::Polygon) cross(y);
        else shrink(y);
        return m_spans;
    }

private:
    void shrink(int y) {
        const auto inside = [&](int x) { return m_region.contains(m_toBaseline({static_cast<double>(x), static_cast<double>(y)})); };
        int x0 = m_box.x0, x1 = m_box.x1;
        while (x0 < x1 && !inside(x0)) ++x0;
        while (x1 > x0 && !inside(x1 - 1)) --x1;
        if (x0 < x1) m_spans.emplace_back(x0, x1);
    }
    void cross(int y) {
        m_crossings.clear();
        for (std::size_t i = 0, j = m_corners.size() - 1; i < m_corners.size(); j = i++) {
            const Point &a = m_corners[i], &b = m_corners[j];
            if ((a.y > y) != (b.y > y)) m_crossings.push_back((b.x - a.x) * (y - a.y) / (b.y - a.y) + a.x);
        }
        std::sort(m_crossings.begin(), m_crossings.end());
        const auto pixelFrom = [&](double x) { return static_cast<int>(std::clamp(std::ceil(x), static_cast<double>(m_box.x0), static_cast<double>(m_box.x1))); };
        for (std::size_t i = 0; i + 1 < m_crossings.size(); i += 2)
            if (const int x0 = pixelFrom(m_crossings[i]), x1 = pixelFrom(m_crossings[i + 1]); x0 < x1) m_spans.emplace_back(x0, x1);
    }

    const Region& m_region;
    Alignment::Affine m_toBaseline;
    PlaneView::Box m_box;
    std::vector<Point> m_corners;
    std::vector<double> m_crossings;
    std::vector<std::pair<int, int>> m_spans;
};

constexpr int kCell = 10;               ///< side of the small cells, plane pixels
constexpr std::size_t kEnough = 20'000; ///< values that place a cut within a hundredth of a sigma

/// One row's part of a region within one small cell.
struct Run {
    int y, x0, x1;
    const float* row;           ///< of the plane
    const std::uint8_t* hidden; ///< of the mask, or null

    bool usable(int x) const { return !(hidden && hidden[x]) && std::isfinite(row[x]); }
};

/// Calls `take` for every run of the region, of each `rowStep`-th row.
template<class Take>
void visitRuns(const Plane& plane, const Mask& mask, const PlaneView& view, const Region& region, int rowStep, Take take) {
    RowSpans spans(region, view);
    for (int y = spans.box().y0; y < spans.box().y1; y += rowStep) {
        Run run{y, 0, 0, plane.row(y), mask.empty() ? nullptr : mask.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(plane.width())};
        for (const auto& [from, to] : spans.at(y)) {
            for (int x = from; x < to; x = run.x1) {
                run.x0 = x;
                run.x1 = std::min(to, (x / kCell + 1) * kCell);
                take(run);
            }
        }
    }
}

struct Cell {
    double sum = 0, n = 0, whole = 0;
    double x = 0, y = 0;           ///< sums of the places of the pixels used
    double wholeX = 0, wholeY = 0; ///< and of all that lie in the region
    double glow = 0;               ///< sum of the unmasked starlight in the pixels used
    double trend = 0;              ///< over the whole of the cell
    double level = 0;              ///< of a seen cell, less the trend
    double filled = 0;             ///< the same given to a hidden one
    bool isFilled = false;
    double speaksFor = 0; ///< area of hidden cells whose level was taken from this one
    float middle = 0;
};

/// The small cells of the box around a region.
class CellGrid {
public:
    CellGrid(const PlaneView& view, const Region& region) {
        const PlaneView::Box b = view.boxOf(region);
        if (b.x0 >= b.x1 || b.y0 >= b.y1) return;
        m_x = b.x0 / kCell, m_y = b.y0 / kCell;
        m_across = (b.x1 - 1) / kCell + 1 - m_x;
        cells.resize(static_cast<std::size_t>(m_across) * static_cast<std::size_t>((b.y1 - 1) / kCell + 1 - m_y));
    }
    std::size_t index(int x, int y) const { return static_cast<std::size_t>(y / kCell - m_y) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(x / kCell - m_x); }
    std::size_t across() const { return static_cast<std::size_t>(m_across); }
    std::vector<Cell> cells;

private:
    int m_x = 0, m_y = 0, m_across = 0;
};

template<class T>
std::vector<T> thinned(const std::vector<T>& all, std::size_t limit) {
    const std::size_t step = all.size() / limit + 1;
    std::vector<T> out;
    for (std::size_t i = 0; i < all.size(); i += step) out.push_back(all[i]);
    return out;
}

/// So many rows apart that a good `wanted` values come of large regions.
int rowsBetween(const PlaneView& view, const std::vector<const Region*>& regions, std::size_t wanted) {
    double boxes = 0;
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        boxes += std::max(0.0, static_cast<double>(b.x1 - b.x0)) * std::max(0, b.y1 - b.y0);
    }
    return std::max(1, static_cast<int>(boxes / (8.0 * static_cast<double>(wanted))));
}

/// Medians of the pixels of each cell; `otherwise` where there are too few.
void findMiddles(CellGrid& grid, const Plane& plane, const Mask& mask, const PlaneView& view, const Region& region, double otherwise) {
    std::vector<std::uint32_t> begin(grid.cells.size() + 1, 0);
    visitRuns(plane, mask, view, region, 1, [&](const Run& run) {
        for (int x = run.x0; x < run.x1; ++x) begin[grid.index(run.x0, run.y) + 1] += run.usable(x);
    });
    std::partial_sum(begin.begin(), begin.end(), begin.begin());
    std::vector<std::uint32_t> next(begin.begin(), begin.end() - 1);
    std::vector<float> values(begin.back());
    visitRuns(plane, mask, view, region, 1, [&](const Run& run) {
        for (int x = run.x0; x < run.x1; ++x)
            if (run.usable(x)) values[next[grid.index(run.x0, run.y)]++] = run.row[x];
    });
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const std::size_t n = begin[i + 1] - begin[i];
        grid.cells[i].middle = static_cast<float>(n >= 8 ? median(std::span<float>(values.data() + begin[i], n)) : otherwise);
    }
}

bool isKnown(const Cell& c) { return c.n * 6 >= c.whole && c.n > 0; }

/// The cells beside one that the region reaches, as indices; how many.
std::size_t sidesOf(const CellGrid& grid, std::size_t i, std::array<std::size_t, 4>& sides) {
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
    explicit Trend(const CellGrid& grid) {
        std::size_t seen = 0;
        double n = 0, x = 0, y = 0, xx = 0, yy = 0;
        for (const Cell& c : grid.cells) {
            if (!(c.whole > 0) || !isKnown(c)) continue;
            ++seen, n += c.n, x += c.x, y += c.y;
        }
        if (seen < 12) return;
        m_x = x / n, m_y = y / n;
        for (const Cell& c : grid.cells) {
            if (!(c.whole > 0) || !isKnown(c)) continue;
            xx += c.n * std::pow(c.x / c.n - m_x, 2), yy += c.n * std::pow(c.y / c.n - m_y, 2);
        }
        m_unit = std::sqrt((xx + yy) / n);
        if (!(m_unit > 0)) return;
        Eigen::Matrix<double, 6, 6> a = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> g = Eigen::Matrix<double, 6, 1>::Zero();
        for (const Cell& c : grid.cells) {
            if (!(c.whole > 0) || !isKnown(c)) continue;
            const auto basis = at(c.x / c.n, c.y / c.n);
            a += c.n * basis * basis.transpose();
            g += (c.sum - c.glow) * basis;
        }
        const auto qr = a.colPivHouseholderQr();
        if (qr.rank() < 6 || qr.absDeterminant() < 1e-9 * std::pow(n, 6)) return; // cells in a row tell no bend across it
        m_p = qr.solve(g);
    }
    double operator()(double x, double y) const { return m_unit > 0 ? at(x, y).dot(m_p) : 0; }

private:
    Eigen::Matrix<double, 6, 1> at(double x, double y) const {
        const double u = (x - m_x) / m_unit, v = (y - m_y) / m_unit;
        return {1, u, v, u * u, u * v, v * v};
    }
    double m_x = 0, m_y = 0, m_unit = 0;
    Eigen::Matrix<double, 6, 1> m_p = Eigen::Matrix<double, 6, 1>::Zero();
};

/// Gives cells that stars hide (nearly) whole the light that their neighbours lead to expect: a bright star on the brightest part must not take that part out of
/// the mean. Solves Laplace's equation over the hidden cells, for what is left beside the trend: it knows no humps. And, the other way round, how much of them each seen cell then
/// stands for.
void fillHidden(CellGrid& grid) {
    std::vector<std::size_t> hidden;
    double sum = 0, n = 0, most = 0;
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const Cell& c = grid.cells[i];
        if (c.whole > 0 && !isKnown(c)) hidden.push_back(i);
        else if (c.whole > 0) sum += c.level, most = std::max(most, std::abs(c.level)), ++n;
    }
    if (hidden.empty() || n < 3) return;
    for (const std::size_t i : hidden) {
        grid.cells[i].filled = sum / n;
        grid.cells[i].isFilled = true;
    }
    const auto valueOf = [&](std::size_t i) { return isKnown(grid.cells[i]) ? grid.cells[i].level : grid.cells[i].filled; };
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
                if (!isKnown(grid.cells[sides[k]])) left += share;
            }
        }
    }
}

/// Levels of the cells of nebula: what stands beside the trend where pixels were seen, and where stars hide them; and the trend itself over the whole of each cell.
void levelStructured(CellGrid& grid) {
    const Trend trend(grid);
    for (Cell& c : grid.cells)
        if (c.n > 0) c.level = (c.sum - c.glow) / c.n - trend(c.x / c.n, c.y / c.n);
    fillHidden(grid);
    for (Cell& c : grid.cells)
        if (c.whole > 0) c.trend = trend(c.wholeX / c.whole, c.wholeY / c.whole);
}

} // namespace

RegionSum sumRegions(const Plane& plane, const Mask& mask, const StarGlow& glow, const PlaneView& view, const std::vector<const Region*>& regions, bool structured) {
    RegionSum out;
    const int rowStep = rowsBetween(view, regions, kEnough);
    constexpr int kLag = 6;
    std::vector<float> values, steps;
    for (const Region* r : regions)
        visitRuns(plane, mask, view, *r, rowStep, [&](const Run& run) {
            for (int x = run.x0; x < run.x1; ++x) {
                if (!run.usable(x)) continue;
                values.push_back(run.row[x]);
                if (x + kLag < plane.width() && run.usable(x + kLag)) steps.push_back(run.row[x + kLag] - run.row[x]);
            }
        });
    if (values.size() < 4) return out;
    if (values.size() > kEnough) values = thinned(values, kEnough);
    const ClippedStats s = clippedStats(std::span<float>(values));
    if (steps.size() > kEnough) steps = thinned(steps, kEnough);
    out.pixelSigma = steps.size() > 20 ? clippedStats(std::span<float>(steps)).sigma / std::sqrt(2.0) : s.sigma;
    out.skew = s.mean - s.median;
    // The same cut again on the pixels in place, gathered in small cells: a cell counts by its whole area, hidden pixels included, so that stars
    // which crowd where dust is thin (and nebula bright) do not bias the mean.
    std::vector<CellGrid> grids;
    for (const Region* r : regions) {
        CellGrid& grid = grids.emplace_back(view, *r);
        if (structured) findMiddles(grid, plane, mask, view, *r, s.median);
        visitRuns(plane, mask, view, *r, 1, [&](const Run& run) {
            Cell& c = grid.cells[grid.index(run.x0, run.y)];
            const double centre = structured ? static_cast<double>(c.middle) : s.median;
            // Within a neighbourhood structure adds to the noise: four of its sigmas.
            const double limit = (structured ? std::max(4 * out.pixelSigma, std::abs(centre - s.median)) : 3 * s.sigma) + 1e-300;
            const int length = run.x1 - run.x0;
            c.whole += length;
            c.wholeX += 0.5 * length * (run.x0 + run.x1 - 1);
            c.wholeY += static_cast<double>(length) * run.y;
            const auto low = static_cast<float>(centre - limit), high = std::nextafter(static_cast<float>(centre + limit), std::numeric_limits<float>::infinity());
            const rows::Sums part = rows::sums(run.row + run.x0, run.hidden ? run.hidden + run.x0 : nullptr, length, low, high, static_cast<float>(centre));
            const auto n = static_cast<double>(part.count);
            c.sum += n * static_cast<double>(static_cast<float>(centre)) + part.sum;
            c.n += n;
            c.y += n * run.y;
            if (part.count == length) { // as most are
                c.x += 0.5 * length * (run.x0 + run.x1 - 1);
                c.glow += n * glow.at((run.x0 + run.x1) / 2, run.y);
            } else if (part.count > 0) {
                for (int x = run.x0; x < run.x1; ++x) {
                    if (!(run.row[x] >= low && run.row[x] < high) || (run.hidden && run.hidden[x])) continue;
                    c.x += x;
                    c.glow += glow.at(x, run.y);
                }
            }
            out.inside += static_cast<std::size_t>(run.x1 - run.x0);
        });
        if (structured) levelStructured(grid);
    }
    double sum = 0, area = 0, inverse = 0, u = 0, v = 0, rr = 0;
    for (const CellGrid& grid : grids) {
        for (std::size_t i = 0; i < grid.cells.size(); ++i) {
            const Cell& c = grid.cells[i];
            if (c.whole < 1) continue;
            const Point centre{c.wholeX / c.whole, c.wholeY / c.whole};
            const SurfaceBasis whole = SurfaceBasis::at(centre, plane.width(), plane.height());
            out.whole.u += whole.u * c.whole / static_cast<double>(out.inside);
            out.whole.v += whole.v * c.whole / static_cast<double>(out.inside);
            out.whole.rr += whole.rr * c.whole / static_cast<double>(out.inside);
            out.mean += c.trend * c.whole / static_cast<double>(out.inside);
            const bool seen = isKnown(c), filled = !seen && c.isFilled;
            if (c.n < 1 && !filled) continue;
            const SurfaceBasis basis = filled ? whole : SurfaceBasis::at({c.x / c.n, c.y / c.n}, plane.width(), plane.height());
            // Sky counts by the pixels seen. What a cell of nebula adds to the trend counts whole, but what peeps out between stars less: most of its light may be theirs.
            const double weight = !structured ? c.n : filled ? c.whole : std::min(c.whole, 2 * c.n);
            sum += weight * (filled ? c.filled : structured ? c.level : (c.sum - c.glow) / c.n);
            if (!filled) out.glow += weight * c.glow / c.n;
            u += weight * basis.u;
            v += weight * basis.v;
            rr += weight * basis.rr;
            area += weight;
            // A filled cell adds no witness: those that it was filled from count for more.
            if (!filled) inverse += std::pow(weight + c.speaksFor, 2) / c.n;
        }
    }
    if (!(area > 0)) return out;
    out.mean += sum / area;
    if (structured)
        for (const CellGrid& grid : grids)
            for (const Cell& c : grid.cells)
                if (c.whole > 0 && !isKnown(c) && c.isFilled)
                    out.fillSigma += 0.2 * c.whole * std::abs(c.filled + c.trend - out.mean) / area;
    out.glow /= area;
    out.basis = structured ? out.whole : SurfaceBasis{u / area, v / area, rr / area}; // the trend reaches over all of it
    // As many equally weighted pixels as would give the same error.
    out.used = static_cast<std::size_t>(std::max(1.0, area * area / inverse));
    return out;
}

std::vector<float> regionValues(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, std::size_t limit) {
    const int rowStep = limit > 0 ? rowsBetween(view, regions, limit) : 1;
    std::vector<float> values;
    for (const Region* r : regions)
        visitRuns(plane, mask, view, *r, rowStep, [&](const Run& run) {
            for (int x = run.x0; x < run.x1; ++x)
                if (run.usable(x)) values.push_back(run.row[x]);
        });
    return values.size() > limit && limit > 0 ? thinned(values, limit) : values;
}

} // namespace caelumen
