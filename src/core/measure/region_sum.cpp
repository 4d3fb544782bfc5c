#include "core/measure/region_sum.h"

#include "core/base/statistics.h"

#include <algorithm>

namespace caelumen {
namespace {

struct Pixel {
    float value;
    int x, y;
};

template<class Visit>
std::size_t visitPixels(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, Visit visit) {
    std::size_t inside = 0;
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        for (int y = b.y0; y < b.y1; ++y) {
            for (int x = b.x0; x < b.x1; ++x) {
                if (!r->contains(view.toBaseline({static_cast<double>(x), static_cast<double>(y)}))) continue;
                ++inside;
                const float v = plane.at(x, y);
                const bool hidden = !mask.empty() && mask[static_cast<std::size_t>(y) * static_cast<std::size_t>(plane.width()) + static_cast<std::size_t>(x)];
                if (!hidden && std::isfinite(v)) visit(Pixel{v, x, y});
            }
        }
    }
    return inside;
}

} // namespace

RegionSum sumRegions(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions) {
    RegionSum out;
    std::vector<Pixel> pixels;
    std::vector<double> steps;
    constexpr int kLag = 6;
    out.inside = visitPixels(plane, mask, view, regions, [&](const Pixel& p) {
        pixels.push_back(p);
        if (p.x + kLag >= plane.width()) return;
        const std::size_t at = static_cast<std::size_t>(p.y) * static_cast<std::size_t>(plane.width()) + static_cast<std::size_t>(p.x + kLag);
        const float other = plane.data()[at];
        if (std::isfinite(other) && (mask.empty() || !mask[at])) steps.push_back(static_cast<double>(other - p.value));
    });
    if (pixels.size() < 4) return out;
    std::vector<float> values(pixels.size());
    std::transform(pixels.begin(), pixels.end(), values.begin(), [](const Pixel& p) { return p.value; });
    const ClippedStats s = clippedStats(std::span<float>(values));
    // The same cut again on the pixels in place, for their positions.
    double sum = 0, u = 0, v = 0, rr = 0;
    for (const Pixel& p : pixels) {
        if (std::abs(static_cast<double>(p.value) - s.median) > 3 * s.sigma + 1e-300) continue;
        const SurfaceBasis b = SurfaceBasis::at({static_cast<double>(p.x), static_cast<double>(p.y)}, plane.width(), plane.height());
        sum += static_cast<double>(p.value);
        u += b.u;
        v += b.v;
        rr += b.rr;
        ++out.used;
    }
    if (out.used == 0) return out;
    const auto n = static_cast<double>(out.used);
    out.mean = sum / n;
    out.basis = {u / n, v / n, rr / n};
    out.pixelSigma = steps.size() > 20 ? clippedStats(std::span<double>(steps)).sigma / std::sqrt(2.0) : s.sigma;
    return out;
}

std::vector<float> regionValues(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, std::size_t limit) {
    std::vector<float> values;
    visitPixels(plane, mask, view, regions, [&](const Pixel& p) { values.push_back(p.value); });
    if (values.size() > limit && limit > 0) {
        const std::size_t step = values.size() / limit + 1;
        std::vector<float> thin;
        for (std::size_t i = 0; i < values.size(); i += step) thin.push_back(values[i]);
        values.swap(thin);
    }
    return values;
}

} // namespace caelumen
