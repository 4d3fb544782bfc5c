#include "core/measure/region_sum.h"

#include "core/base/statistics.h"

#include <algorithm>
#include <cstdint>
#include <limits>
#include <numeric>
#include <span>

namespace caelumen {
namespace {

struct Pixel {
    float value;
    int x, y;
};

/// Pixels x0 <= x < x1 of row `y` that may lie in a region: exactly those that do for a convex one, whose ends are looked for from outside.
std::pair<int, int> spanOf(const Region& r, const Alignment::Affine& toBaseline, const PlaneView::Box& b, int y) {
    const auto inside = [&](int x) { return r.contains(toBaseline({static_cast<double>(x), static_cast<double>(y)})); };
    int x0 = b.x0, x1 = b.x1;
    if (r.shape == RegionShape::Polygon) return {x0, x1};
    while (x0 < x1 && !inside(x0)) ++x0;
    while (x1 > x0 && !inside(x1 - 1)) --x1;
    return {x0, x1};
}

/// Calls `visit` for each pixel that may be used and `whole` for each one of the regions.
template<class Visit, class Inside>
std::size_t visitPixels(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, Visit visit, Inside whole) {
    std::size_t inside = 0;
    const Alignment::Affine toBaseline = view.backward();
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        for (int y = b.y0; y < b.y1; ++y) {
            const auto [x0, x1] = spanOf(*r, toBaseline, b, y);
            const float* row = plane.row(y);
            const std::uint8_t* hidden = mask.empty() ? nullptr : mask.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(plane.width());
            for (int x = x0; x < x1; ++x) {
                if (r->shape == RegionShape::Polygon && !r->contains(toBaseline({static_cast<double>(x), static_cast<double>(y)}))) continue;
                ++inside;
                whole(x, y);
                if (!(hidden && hidden[x]) && std::isfinite(row[x])) visit(Pixel{row[x], x, y});
            }
        }
    }
    return inside;
}

} // namespace

namespace {

constexpr int kCell = 10;               ///< side of the small cells, plane pixels
constexpr std::size_t kEnough = 40'000; ///< values that place a cut within a hundredth of a sigma

struct Cell {
    double sum = 0, n = 0, whole = 0;
    float middle = 0;
};

/// The small cells of the box around all regions.
class CellGrid {
public:
    CellGrid(const PlaneView& view, const std::vector<const Region*>& regions) {
        int x1 = 0, y1 = 0;
        m_x = m_y = std::numeric_limits<int>::max();
        for (const Region* r : regions) {
            const PlaneView::Box b = view.boxOf(*r);
            if (b.x0 >= b.x1 || b.y0 >= b.y1) continue;
            m_x = std::min(m_x, b.x0 / kCell), m_y = std::min(m_y, b.y0 / kCell);
            x1 = std::max(x1, (b.x1 - 1) / kCell + 1), y1 = std::max(y1, (b.y1 - 1) / kCell + 1);
        }
        m_across = std::max(0, x1 - m_x);
        cells.resize(m_across > 0 ? static_cast<std::size_t>(m_across) * static_cast<std::size_t>(std::max(0, y1 - m_y)) : 0);
    }
    std::size_t index(int x, int y) const { return static_cast<std::size_t>(y / kCell - m_y) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(x / kCell - m_x); }
    Point centre(std::size_t i) const {
        const auto across = static_cast<std::size_t>(m_across);
        return {(m_x + static_cast<double>(i % across) + 0.5) * kCell - 0.5, (m_y + static_cast<double>(i / across) + 0.5) * kCell - 0.5};
    }
    std::vector<Cell> cells;

private:
    int m_x, m_y, m_across;
};

template<class T>
std::vector<T> thinned(const std::vector<T>& all, std::size_t limit) {
    const std::size_t step = all.size() / limit + 1;
    std::vector<T> out;
    for (std::size_t i = 0; i < all.size(); i += step) out.push_back(all[i]);
    return out;
}

/// Medians of the pixels of each cell; `otherwise` where there are too few.
void findMiddles(CellGrid& grid, const std::vector<Pixel>& pixels, double otherwise) {
    std::vector<std::uint32_t> begin(grid.cells.size() + 1, 0);
    for (const Pixel& p : pixels) ++begin[grid.index(p.x, p.y) + 1];
    std::partial_sum(begin.begin(), begin.end(), begin.begin());
    std::vector<std::uint32_t> next(begin.begin(), begin.end() - 1);
    std::vector<float> values(pixels.size());
    for (const Pixel& p : pixels) values[next[grid.index(p.x, p.y)]++] = p.value;
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const std::size_t n = begin[i + 1] - begin[i];
        grid.cells[i].middle = static_cast<float>(n >= 8 ? median(std::span<float>(values.data() + begin[i], n)) : otherwise);
    }
}

} // namespace

RegionSum sumRegions(const Plane& plane, const Mask& mask, const StarGlow& glow, const PlaneView& view, const std::vector<const Region*>& regions, bool structured) {
    RegionSum out;
    std::vector<Pixel> pixels;
    std::vector<float> steps;
    constexpr int kLag = 6;
    CellGrid grid(view, regions);
    out.inside = visitPixels(
        plane, mask, view, regions,
        [&](const Pixel& p) {
            pixels.push_back(p);
            if (p.x + kLag >= plane.width()) return;
            const std::size_t at = static_cast<std::size_t>(p.y) * static_cast<std::size_t>(plane.width()) + static_cast<std::size_t>(p.x + kLag);
            const float other = plane.data()[at];
            if (std::isfinite(other) && (mask.empty() || !mask[at])) steps.push_back(other - p.value);
        },
        [&](int x, int y) { grid.cells[grid.index(x, y)].whole += 1; });
    if (pixels.size() < 4) return out;
    std::vector<float> values(pixels.size());
    std::transform(pixels.begin(), pixels.end(), values.begin(), [](const Pixel& p) { return p.value; });
    if (values.size() > kEnough) values = thinned(values, kEnough);
    const ClippedStats s = clippedStats(std::span<float>(values));
    if (steps.size() > kEnough) steps = thinned(steps, kEnough);
    out.pixelSigma = steps.size() > 20 ? clippedStats(std::span<float>(steps)).sigma / std::sqrt(2.0) : s.sigma;
    out.skew = s.mean - s.median;
    // The same cut again on the pixels in place, gathered in small cells: a cell counts by its whole area, hidden pixels included, so that stars
    // which crowd where dust is thin (and nebula bright) do not bias the mean.
    if (structured) findMiddles(grid, pixels, s.median);
    for (const Pixel& p : pixels) {
        Cell& c = grid.cells[grid.index(p.x, p.y)];
        const double centre = structured ? static_cast<double>(c.middle) : s.median;
        // Within a neighbourhood structure adds to the noise: four of its sigmas.
        const double limit = structured ? std::max(4 * out.pixelSigma, std::abs(centre - s.median)) : 3 * s.sigma;
        if (std::abs(static_cast<double>(p.value) - centre) > limit + 1e-300) continue;
        c.sum += static_cast<double>(p.value);
        c.n += 1;
    }
    double sum = 0, area = 0, inverse = 0, u = 0, v = 0, rr = 0;
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const Cell& c = grid.cells[i];
        if (c.n < 1) continue;
        // A nearly hidden cell speaks only for what it shows.
        const double weight = std::min(c.whole, 6 * c.n);
        const Point centre = grid.centre(i);
        const SurfaceBasis basis = SurfaceBasis::at(centre, plane.width(), plane.height());
        sum += weight * (c.sum / c.n - glow.at(centre.x, centre.y));
        u += weight * basis.u;
        v += weight * basis.v;
        rr += weight * basis.rr;
        area += weight;
        inverse += weight * weight / c.n;
    }
    if (!(area > 0)) return out;
    out.mean = sum / area;
    out.basis = {u / area, v / area, rr / area};
    // As many equally weighted pixels as would give the same error.
    out.used = static_cast<std::size_t>(std::max(1.0, area * area / inverse));
    return out;
}

std::vector<float> regionValues(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, std::size_t limit) {
    std::vector<float> values;
    visitPixels(plane, mask, view, regions, [&](const Pixel& p) { values.push_back(p.value); }, [](int, int) {});
    return values.size() > limit && limit > 0 ? thinned(values, limit) : values;
}

} // namespace caelumen
