#pragma once

#include "core/image/plane.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>
#include <vector>

namespace caelumen {

/// Points in square bins, to find the nearest one within a bin's width quickly.
class StarGrid {
public:
    StarGrid(const std::vector<Point>& points, double reach) : m_points(points), m_reach(std::max(reach, 0.5)) {
        for (std::size_t i = 0; i < points.size(); ++i) m_bins[key(bin(points[i].x), bin(points[i].y))].push_back(i);
    }

    /// Calls `visit` with the index of every point of the nine bins around a place: all within the grid's reach, and some farther.
    template<class Visit>
    void around(Point p, Visit visit) const {
        for (long j = bin(p.y) - 1; j <= bin(p.y) + 1; ++j)
            for (long i = bin(p.x) - 1; i <= bin(p.x) + 1; ++i)
                if (const auto found = m_bins.find(key(i, j)); found != m_bins.end())
                    for (const std::size_t k : found->second) visit(k);
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
    long bin(double v) const { return static_cast<long>(std::floor(v / m_reach)); }
    static long long key(long i, long j) { return (static_cast<long long>(i) << 32) ^ (static_cast<long long>(j) & 0xffffffffLL); }
    std::vector<Point> m_points;
    double m_reach;
    std::unordered_map<long long, std::vector<std::size_t>> m_bins;
};

} // namespace caelumen
