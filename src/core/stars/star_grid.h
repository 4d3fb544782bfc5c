#pragma once

#include "core/image/plane.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace caelumen {

/// Points in square bins, to find the nearest one within `reach` quickly.
class StarGrid {
public:
    StarGrid(const std::vector<Point>& points, double reach)
        : m_points(points)
        , m_reach(std::max(reach, 0.5))
        , m_bin(m_reach) {
        Point high{-1e300, -1e300};
        for (const Point& p : points) {
            m_low = {std::min(m_low.x, p.x), std::min(m_low.y, p.y)};
            high = {std::max(high.x, p.x), std::max(high.y, p.y)};
        }
        if (points.empty()) return;
        // Bins are no smaller than the reach, and not many more than points.
        m_bin = std::max(m_bin, std::sqrt((high.x - m_low.x) * (high.y - m_low.y) / (4 * static_cast<double>(points.size()) + 16)));
        m_bin = std::max({m_bin, (high.x - m_low.x) / kMost, (high.y - m_low.y) / kMost});
        m_across = static_cast<long>((high.x - m_low.x) / m_bin) + 1;
        m_down = static_cast<long>((high.y - m_low.y) / m_bin) + 1;
        m_begin.assign(static_cast<std::size_t>(m_across * m_down) + 1, 0);
        std::vector<std::size_t> at;
        at.reserve(points.size());
        for (const Point& p : points) {
            at.push_back(static_cast<std::size_t>(column(p) + m_across * row(p)));
            ++m_begin[at.back() + 1];
        }
        for (std::size_t i = 1; i < m_begin.size(); ++i) m_begin[i] += m_begin[i - 1];
        m_order.resize(points.size());
        std::vector<std::uint32_t> next(m_begin.begin(), m_begin.end() - 1);
        for (std::size_t i = 0; i < points.size(); ++i) m_order[next[at[i]]++] = static_cast<std::uint32_t>(i);
    }

    /// Calls `visit` with the index of every point of the nine bins around a place: all within the grid's reach, and some farther.
    template<class Visit>
    void around(Point p, Visit visit) const {
        if (m_points.empty() || !(std::abs(p.x) < 1e9) || !(std::abs(p.y) < 1e9)) return;
        const long i = column(p), j = row(p);
        for (long y = std::max(0L, j - 1); y <= std::min(m_down - 1, j + 1); ++y)
            for (long x = std::max(0L, i - 1); x <= std::min(m_across - 1, i + 1); ++x) {
                const auto bin = static_cast<std::size_t>(x + m_across * y);
                for (std::uint32_t k = m_begin[bin]; k < m_begin[bin + 1]; ++k) visit(std::size_t{m_order[k]});
            }
    }

    /// Index of the nearest point within `reach` (at most the grid's), or -1.
    std::ptrdiff_t nearest(Point p, double reach) const {
        std::ptrdiff_t best = -1;
        double limit = std::min(reach, m_reach);
        limit *= limit;
        around(p, [&](std::size_t k) {
            const double dx = m_points[k].x - p.x, dy = m_points[k].y - p.y, d = dx * dx + dy * dy;
            if (d > limit) return;
            limit = d;
            best = static_cast<std::ptrdiff_t>(k);
        });
        return best;
    }

private:
    static constexpr double kMost = 20'000; ///< bins along a side
    long column(Point p) const { return static_cast<long>(std::floor((p.x - m_low.x) / m_bin)); }
    long row(Point p) const { return static_cast<long>(std::floor((p.y - m_low.y) / m_bin)); }
    std::vector<Point> m_points;
    double m_reach, m_bin;
    Point m_low{1e300, 1e300};
    long m_across = 0, m_down = 0;
    std::vector<std::uint32_t> m_begin, m_order; ///< first of each bin in the order of all
};

} // namespace caelumen
