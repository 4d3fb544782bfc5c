#pragma once

#include "core/image/plane.h"
#include "core/model/region.h"
#include "core/stars/alignment.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

/// How one plane of one run lies on the sky: from the baseline's stored pixels to this run's stored pixels to the plane's own.
struct PlaneView {
    PlaneGeometry geometry;
    Alignment alignment;
    int width = 0, height = 0; ///< of the plane

    Point toPlane(Point baseline) const { return geometry.toPlane(alignment.map(baseline)); }
    Point toBaseline(Point plane) const { return alignment.unmap(geometry.toStored(plane)); }
    /// toPlane and toBaseline with their trigonometry done once, for loops.
    Alignment::Affine forward() const {
        const Alignment::Affine a = alignment.forward();
        const double p = geometry.pitch;
        return {a.xx / p, a.xy / p, a.yx / p, a.yy / p, (a.dx - geometry.origin.x) / p, (a.dy - geometry.origin.y) / p};
    }
    Alignment::Affine backward() const {
        const Alignment::Affine a = alignment.backward();
        return {a.xx * geometry.pitch,
                a.xy * geometry.pitch,
                a.yx * geometry.pitch,
                a.yy * geometry.pitch,
                a.xx * geometry.origin.x + a.xy * geometry.origin.y + a.dx,
                a.yx * geometry.origin.x + a.yy * geometry.origin.y + a.dy};
    }
    /// Plane pixels per baseline pixel.
    double scale() const { return alignment.scale / geometry.pitch; }

    /// The plane pixels that may lie in a region: a box cut to the plane, x0 <= x < x1.
    struct Box {
        int x0 = 0, y0 = 0, x1 = 0, y1 = 0;
    };
    Box boxOf(const Region& region) const {
        const Region::Bounds b = region.bounds();
        Point low{1e18, 1e18}, high{-1e18, -1e18};
        for (const Point corner : {b.min, b.max, Point{b.min.x, b.max.y}, Point{b.max.x, b.min.y}}) {
            const Point p = toPlane(corner);
            low = {std::min(low.x, p.x), std::min(low.y, p.y)};
            high = {std::max(high.x, p.x), std::max(high.y, p.y)};
        }
        const auto cut = [](double v, int limit) { return static_cast<int>(std::clamp(v, 0.0, static_cast<double>(limit))); };
        return {cut(std::floor(low.x), width), cut(std::floor(low.y), height), cut(std::ceil(high.x) + 1, width), cut(std::ceil(high.y) + 1, height)};
    }
};

/// The basis of the sky surface at a plane pixel: offsets from the frame's centre over half the frame's diagonal.
struct SurfaceBasis {
    double u = 0, v = 0, rr = 0;
    static SurfaceBasis at(Point p, int width, int height) {
        const double half = 0.5 * length(width, height);
        const double u = (p.x - 0.5 * (width - 1)) / half, v = (p.y - 0.5 * (height - 1)) / half;
        return {u, v, u * u + v * v};
    }
};

} // namespace caelumen
