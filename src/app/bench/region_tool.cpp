#include "app/bench/region_tool.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr std::size_t kMostCorners = 400;

/// A freely drawn line with fewer corners; none is left out that lies further than `tolerance` from the line without it (Douglas & Peucker 1973).
void thin(const std::vector<Point>& line, std::size_t from, std::size_t to, double tolerance, std::vector<Point>& out) {
    const Point a = line[from], b = line[to];
    const double length = std::hypot(b.x - a.x, b.y - a.y);
    double worst = 0;
    std::size_t at = from;
    for (std::size_t i = from + 1; i < to; ++i) {
        const double dx = line[i].x - a.x, dy = line[i].y - a.y;
        const double off = length > 0 ? std::abs(dx * (b.y - a.y) - dy * (b.x - a.x)) / length : std::hypot(dx, dy);
        if (off > worst) worst = off, at = i;
    }
    if (worst <= tolerance) return;
    thin(line, from, at, tolerance, out);
    out.push_back(line[at]);
    thin(line, at, to, tolerance, out);
}

} // namespace

Region RegionTool::begun() const {
    Region r;
    r.role = m_kind->role;
    r.shape = m_kind->shape;
    if (m_press) r.points = {*m_press};
    return r;
}

void RegionTool::press(Point at) {
    if (!m_kind) return;
    m_at = at;
    if (m_kind->shape == RegionShape::Polygon)
        m_outline.push_back(at), m_free = m_outline.size() == 1;
    else
        m_press = at;
}

void RegionTool::move(Point at, bool button) {
    m_at = at;
    if (button && m_free && !m_outline.empty() && m_outline.size() < 10 * kMostCorners) m_outline.push_back(at);
}

std::optional<Region> RegionTool::preview() const {
    if (!m_kind || !m_press) return std::nullopt;
    Region r = begun();
    const Point a = *m_press;
    if (r.shape == RegionShape::Circle) r.radius = std::max(1.0, std::hypot(m_at.x - a.x, m_at.y - a.y));
    if (r.shape == RegionShape::Rect) r.points = {{std::min(a.x, m_at.x), std::min(a.y, m_at.y)}, {std::max(a.x, m_at.x), std::max(a.y, m_at.y)}};
    return r;
}

std::optional<Region> RegionTool::release(Point at, bool moved, double handy) {
    m_at = at;
    if (!m_kind) return std::nullopt;
    if (m_kind->shape == RegionShape::Polygon) {
        if (m_free && moved && m_outline.size() > 2) return close();
        if (m_free && !m_outline.empty()) m_outline.resize(1); // a click on the first corner, by a hand that shakes
        return std::nullopt;
    }
    auto region = preview();
    m_press.reset();
    if (!region) return std::nullopt;
    if (!moved && region->shape == RegionShape::Circle) region->radius = 0.75 * handy;
    if (!moved && region->shape == RegionShape::Rect) region->points = {{at.x - handy, at.y - handy}, {at.x + handy, at.y + handy}};
    return region;
}

std::optional<Region> RegionTool::close() {
    std::vector<Point> corners = std::move(m_outline);
    m_outline.clear();
    if (m_free && corners.size() > 3) {
        double tolerance = 0.7;
        std::vector<Point> fewer;
        do { // until it can be edited by hand
            fewer = {corners.front()};
            thin(corners, 0, corners.size() - 1, tolerance, fewer);
            fewer.push_back(corners.back());
            tolerance *= 1.6;
        } while (fewer.size() > kMostCorners / 10);
        corners = std::move(fewer);
    }
    // The two clicks that close an outline are one corner.
    while (corners.size() > 1 && corners.back().x == corners[corners.size() - 2].x && corners.back().y == corners[corners.size() - 2].y) corners.pop_back();
    if (corners.size() < 3) return std::nullopt;
    Region r = begun();
    r.points = std::move(corners);
    return r;
}

} // namespace caelumen
