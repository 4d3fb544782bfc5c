#include "core/measure/region_sum.h"

#include "core/base/statistics.h"

#include <algorithm>
#include <map>

namespace caelumen {
namespace {

struct Pixel {
    float value;
    int x, y;
};

template<class Visit>
std::size_t visitPixels(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, Visit visit) {
    std::size_t inside = 0;
    const Alignment::Affine toBaseline = view.backward();
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        for (int y = b.y0; y < b.y1; ++y) {
            for (int x = b.x0; x < b.x1; ++x) {
                if (!r->contains(toBaseline({static_cast<double>(x), static_cast<double>(y)}))) continue;
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

RegionSum sumRegions(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, bool structured) {
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
    // The same cut again on the pixels in place, gathered in small cells: a cell counts by its whole area, hidden pixels included, so that stars
    // which crowd where dust is thin (and nebula bright) do not bias the mean.
    struct Cell {
        double sum = 0, n = 0, whole = 0;
    };
    std::map<std::pair<int, int>, Cell> cells;
    constexpr int kCell = 10;
    out.pixelSigma = steps.size() > 20 ? clippedStats(std::span<double>(steps)).sigma / std::sqrt(2.0) : s.sigma;
    std::map<std::pair<int, int>, std::vector<float>> local;
    if (structured)
        for (const Pixel& p : pixels) local[{p.x / kCell, p.y / kCell}].push_back(p.value);
    std::map<std::pair<int, int>, double> middle;
    for (auto& [at, list] : local) middle[at] = list.size() >= 8 ? median(std::span<float>(list)) : s.median;
    for (const Pixel& p : pixels) {
        const double centre = structured ? middle[{p.x / kCell, p.y / kCell}] : s.median;
        // Within a neighbourhood structure adds to the noise: four of its sigmas.
        const double limit = structured ? std::max(4 * out.pixelSigma, std::abs(centre - s.median)) : 3 * s.sigma;
        if (std::abs(static_cast<double>(p.value) - centre) > limit + 1e-300) continue;
        Cell& c = cells[{p.x / kCell, p.y / kCell}];
        c.sum += static_cast<double>(p.value);
        c.n += 1;
        ++out.used;
    }
    if (out.used == 0) return out;
    double u = 0, v = 0, rr = 0;
    const Alignment::Affine toBaseline = view.backward();
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        for (int y = b.y0; y < b.y1; ++y)
            for (int x = b.x0; x < b.x1; ++x)
                if (const auto it = cells.find({x / kCell, y / kCell}); it != cells.end() && r->contains(toBaseline({static_cast<double>(x), static_cast<double>(y)}))) it->second.whole += 1;
    }
    double sum = 0, area = 0, inverse = 0;
    for (const auto& [at, c] : cells) {
        // A nearly hidden cell speaks only for what it shows.
        const double weight = std::min(c.whole, 6 * c.n);
        const SurfaceBasis basis = SurfaceBasis::at({(at.first + 0.5) * kCell - 0.5, (at.second + 0.5) * kCell - 0.5}, plane.width(), plane.height());
        sum += weight * c.sum / c.n;
        u += weight * basis.u;
        v += weight * basis.v;
        rr += weight * basis.rr;
        area += weight;
        inverse += weight * weight / c.n;
    }
    out.mean = sum / area;
    out.basis = {u / area, v / area, rr / area};
    // As many equally weighted pixels as would give the same error.
    out.used = static_cast<std::size_t>(std::max(1.0, area * area / inverse));
    out.skew = s.mean - s.median;
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
