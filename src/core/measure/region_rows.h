#pragma once

#include "core/measure/plane_view.h"
#include "core/stars/mask.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <utility>
#include <vector>

namespace caelumen {

/// The stretches x0 <= x < x1 of row `y` that lie in a region. A convex one has one, whose ends are looked for from outside; a polygon those between its
/// crossings.
class RowSpans {
public:
    RowSpans(const Region& region, const PlaneView& view)
        : m_region(region)
        , m_toBaseline(view.backward())
        , m_box(view.boxOf(region)) {
        if (region.shape == RegionShape::Polygon)
            for (const Point& p : region.points) m_corners.push_back(view.toPlane(p));
    }
    const PlaneView::Box& box() const { return m_box; }
    const std::vector<std::pair<int, int>>& at(int y) {
        m_spans.clear();
        if (m_region.shape == RegionShape::Polygon)
            cross(y);
        else
            shrink(y);
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
        const auto pixelFrom = [&](double x) {
            return static_cast<int>(std::clamp(std::ceil(x), static_cast<double>(m_box.x0), static_cast<double>(m_box.x1)));
        };
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

constexpr int kRegionCell = 10; ///< side of the small cells that a region is summed in, plane pixels

/// One row's part of a region within one small cell.
struct RegionRun {
    int y, x0, x1;
    const float* row; ///< of the plane
    Flags hidden;     ///< of the mask

    bool usable(int x) const { return !hidden[x] && std::isfinite(row[x]); }
};

/// Calls `take` for every run of the region, of each `rowStep`-th row.
template<class Take>
void visitRuns(const Plane& plane, const Mask& mask, const PlaneView& view, const Region& region, int rowStep, Take take) {
    RowSpans spans(region, view);
    for (int y = spans.box().y0; y < spans.box().y1; y += rowStep) {
        RegionRun run{y, 0, 0, plane.row(y), mask.row(y)};
        for (const auto& [from, to] : spans.at(y)) {
            for (int x = from; x < to; x = run.x1) {
                run.x0 = x;
                run.x1 = std::min(to, (x / kRegionCell + 1) * kRegionCell);
                take(run);
            }
        }
    }
}

} // namespace caelumen
