#include "core/model/region.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

bool Region::contains(Point p) const {
    switch (shape) {
    case RegionShape::Star:
        return false;
    case RegionShape::Circle:
        return !points.empty() && length(p.x - points[0].x, p.y - points[0].y) <= radius;
    case RegionShape::Rect: {
        if (points.size() < 2) return false;
        const Point &a = points[0], &b = points[1]; // opposite corners: on one side of each axis the signs differ
        return (p.x - a.x) * (p.x - b.x) <= 0 && (p.y - a.y) * (p.y - b.y) <= 0;
    }
    case RegionShape::Polygon:
        break;
    }
    bool inside = false; // even-odd rule
    for (std::size_t i = 0, j = points.size() - 1; i < points.size(); j = i++) {
        const Point &a = points[i], &b = points[j];
        if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) inside = !inside;
    }
    return inside;
}

double Region::area() const {
    if (shape == RegionShape::Circle) return M_PI * radius * radius;
    if (shape == RegionShape::Star || points.size() < 2) return 0;
    if (shape == RegionShape::Rect) return std::abs((points[1].x - points[0].x) * (points[1].y - points[0].y));
    double twice = 0;
    for (std::size_t i = 0, j = points.size() - 1; i < points.size(); j = i++) twice += points[j].x * points[i].y - points[i].x * points[j].y;
    return 0.5 * std::abs(twice);
}

Region::Bounds Region::bounds() const {
    if (points.empty()) return {};
    Bounds b{points[0], points[0]};
    for (const Point& p : points) {
        b.min = {std::min(b.min.x, p.x), std::min(b.min.y, p.y)};
        b.max = {std::max(b.max.x, p.x), std::max(b.max.y, p.y)};
    }
    if (shape == RegionShape::Circle) {
        b.min = {b.min.x - radius, b.min.y - radius};
        b.max = {b.max.x + radius, b.max.y + radius};
    }
    return b;
}

Point Region::centre() const {
    const Bounds b = bounds();
    return {(b.min.x + b.max.x) / 2, (b.min.y + b.max.y) / 2};
}

void Region::shift(double dx, double dy) {
    for (Point& p : points) p = {p.x + dx, p.y + dy};
}

bool operator==(const Region& a, const Region& b) {
    return a.id == b.id && a.role == b.role && a.shape == b.shape && a.points == b.points && a.radius == b.radius && a.channel == b.channel &&
           a.name == b.name && a.guessed == b.guessed;
}

const char* regionRoleName(RegionRole role) {
    switch (role) {
    case RegionRole::Nebula:
        return "nebula";
    case RegionRole::Sky:
        return "sky";
    case RegionRole::HaloStar:
        return "halo_star";
    }
    return "";
}

const char* regionShapeName(RegionShape shape) {
    switch (shape) {
    case RegionShape::Circle:
        return "circle";
    case RegionShape::Rect:
        return "rect";
    case RegionShape::Polygon:
        return "polygon";
    case RegionShape::Star:
        return "star";
    }
    return "";
}

} // namespace caelumen
