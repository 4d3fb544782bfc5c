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
        : m_reach(std::max(reach, 0.5))
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
        m_points.resize(points.size());
        std::vector<std::uint32_t> next(m_begin.begin(), m_begin.end() - 1);
        for (std::size_t i = 0; i < points.size(); ++i) {
            const std::uint32_t k = next[at[i]]++;
            m_order[k] = static_cast<std::uint32_t>(i);
            m_points[k] = points[i];
        }
    }

    /// Calls `visit` with the index of every point of the nine bins around a place: all within the grid's reach, and some farther.
    template<class Visit>
    void around(Point p, Visit visit) const {
        inBins(p, [&](std::uint32_t k) { visit(std::size_t{m_order[k]}); });
    }

    /// Index of the nearest point within `reach` (at most the grid's), or -1.
    std::ptrdiff_t nearest(Point p, double reach) const {
        std::ptrdiff_t best = -1;
        double limit = std::min(reach, m_reach);
        limit *= limit;
        inBins(p, [&](std::uint32_t k) {
            const double dx = m_points[k].x - p.x, dy = m_points[k].y - p.y, d = dx * dx + dy * dy;
            if (d > limit) return;
            limit = d;
            best = static_cast<std::ptrdiff_t>(k);
        });
        return best < 0 ? best : static_cast<std::ptrdiff_t>(m_order[static_cast<std::size_t>(best)]);
    }

private:
    static constexpr double kMost = 20'000; ///< bins along a side
    static long whole(double v) {           // as std::floor, without a call
        const auto cut = static_cast<long>(v);
        return cut - (v < static_cast<double>(cut));
    }
    long column(Point p) const { return whole((p.x - m_low.x) / m_bin); }
    long row(Point p) const { return whole((p.y - m_low.y) / m_bin); }
    template<class Take>
    void inBins(Point p, Take take) const {
        if (m_points.empty() || !(std::abs(p.x) < 1e9) || !(std::abs(p.y) < 1e9)) return;
        const long i = column(p), j = row(p), first = std::max(0L, i - 1), last = std::min(m_across - 1, i + 1);
        if (first > last) return;
        for (long y = std::max(0L, j - 1); y <= std::min(m_down - 1, j + 1); ++y) // bins of a row follow one another
            for (std::uint32_t k = m_begin[static_cast<std::size_t>(first + m_across * y)]; k < m_begin[static_cast<std::size_t>(last + m_across * y) + 1]; ++k)
                take(k);
    }

    std::vector<Point> m_points; ///< in the order of bins
    double m_reach, m_bin;
    Point m_low{1e300, 1e300};
    long m_across = 0, m_down = 0;
    std::vector<std::uint32_t> m_begin, m_order; ///< first of each bin in that order, and which of those given each is
};

} // namespace caelumen
