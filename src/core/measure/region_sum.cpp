#include "core/measure/region_sum.h"

#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/measure/region_cells.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>
#include <span>

namespace caelumen {
namespace {

constexpr std::size_t kEnough = 20'000; ///< values that place a cut within a hundredth of a sigma

template<class T>
std::vector<T> thinned(const std::vector<T>& all, std::size_t limit) {
    const std::size_t step = all.size() / limit + 1;
    std::vector<T> out;
    for (std::size_t i = 0; i < all.size(); i += step) out.push_back(all[i]);
    return out;
}

/// So many rows apart that a good `wanted` values come of large regions.
int rowsBetween(const PlaneView& view, const std::vector<const Region*>& regions, std::size_t wanted) {
    double boxes = 0;
    for (const Region* r : regions) {
        const PlaneView::Box b = view.boxOf(*r);
        boxes += std::max(0.0, static_cast<double>(b.x1 - b.x0)) * std::max(0, b.y1 - b.y0);
    }
    return std::max(1, static_cast<int>(boxes / (8.0 * static_cast<double>(wanted))));
}

/// Medians of the pixels of each cell; `otherwise` where there are too few.
void findMiddles(RegionCells& grid, const Plane& plane, const Mask& mask, const PlaneView& view, const Region& region, double otherwise) {
    std::vector<std::uint32_t> begin(grid.cells.size() + 1, 0);
    visitRuns(plane, mask, view, region, 1, [&](const RegionRun& run) {
        for (int x = run.x0; x < run.x1; ++x) begin[grid.index(run.x0, run.y) + 1] += run.usable(x);
    });
    std::partial_sum(begin.begin(), begin.end(), begin.begin());
    std::vector<std::uint32_t> next(begin.begin(), begin.end() - 1);
    std::vector<float> values(begin.back());
    visitRuns(plane, mask, view, region, 1, [&](const RegionRun& run) {
        for (int x = run.x0; x < run.x1; ++x)
            if (run.usable(x)) values[next[grid.index(run.x0, run.y)]++] = run.row[x];
    });
    for (std::size_t i = 0; i < grid.cells.size(); ++i) {
        const std::size_t n = begin[i + 1] - begin[i];
        grid.cells[i].middle = static_cast<float>(n >= 8 ? median(std::span<float>(values.data() + begin[i], n)) : otherwise);
    }
}

} // namespace

RegionSum sumRegions(const Plane& plane, const Mask& mask, const UnmaskedStarlight& starlight, const PlaneView& view, const std::vector<const Region*>& regions,
                     bool structured) {
    RegionSum out;
    const int rowStep = rowsBetween(view, regions, kEnough);
    constexpr int kLag = 6;
    std::vector<float> values, steps;
    std::size_t found = 0, pairs = 0;
    for (const Region* r : regions)
        visitRuns(plane, mask, view, *r, rowStep, [&](const RegionRun& run) {
            const int n = run.x1 - run.x0, withPair = std::clamp(plane.width() - kLag - run.x0, 0, n);
            if (values.size() < found + kRegionCell) values.resize(2 * values.size() + kRegionCell), steps.resize(values.size());
            const std::uint64_t here = run.hidden.bits(run.x0, n), there = run.hidden.bits(run.x0 + kLag, withPair);
            const float *row = run.row + run.x0, *next = row + kLag;
            for (int i = 0; i < n; ++i) { // no guessing at each
                const bool usable = !(here >> i & 1) && std::isfinite(row[i]);
                values[found] = row[i];
                found += usable;
                if (i >= withPair) continue;
                steps[pairs] = next[i] - row[i];
                pairs += usable && !(there >> i & 1) && std::isfinite(next[i]);
            }
        });
    values.resize(found), steps.resize(pairs);
    if (values.size() < 4) return out;
    if (values.size() > kEnough) values = thinned(values, kEnough);
    const ClippedStats s = clippedStats(std::span<float>(values));
    if (steps.size() > kEnough) steps = thinned(steps, kEnough);
    out.pixelSigma = steps.size() > 20 ? clippedStats(std::span<float>(steps)).sigma / std::sqrt(2.0) : s.sigma;
    out.skew = s.mean - s.median;
    // The same cut again on the pixels in place, gathered in small cells: a cell counts by its whole area, hidden pixels included, so that stars
    // which crowd where dust is thin (and nebula bright) do not bias the mean.
    std::vector<RegionCells> grids;
    for (const Region* r : regions) {
        RegionCells& grid = grids.emplace_back(view, *r);
        if (structured) findMiddles(grid, plane, mask, view, *r, s.median);
        visitRuns(plane, mask, view, *r, 1, [&](const RegionRun& run) {
            RegionCell& c = grid.cells[grid.index(run.x0, run.y)];
            const double centre = structured ? static_cast<double>(c.middle) : s.median;
            // Within a neighbourhood structure adds to the noise: four of its sigmas.
            const double limit = (structured ? std::max(4 * out.pixelSigma, std::abs(centre - s.median)) : 3 * s.sigma) + 1e-300;
            const int length = run.x1 - run.x0;
            c.whole += length;
            c.wholeX += 0.5 * length * (run.x0 + run.x1 - 1);
            c.wholeY += static_cast<double>(length) * run.y;
            const auto low = static_cast<float>(centre - limit),
                       high = std::nextafter(static_cast<float>(centre + limit), std::numeric_limits<float>::infinity());
            const rows::Sums part = rows::sums(run.row + run.x0, run.hidden + run.x0, length, low, high, static_cast<float>(centre));
            const auto n = static_cast<double>(part.count);
            c.sum += n * static_cast<double>(static_cast<float>(centre)) + part.sum;
            c.n += n;
            c.y += n * run.y;
            if (part.count == length) { // as most are
                c.x += 0.5 * length * (run.x0 + run.x1 - 1);
                c.starlight += n * starlight.at((run.x0 + run.x1) / 2, run.y);
            } else if (part.count > 0) {
                for (int x = run.x0; x < run.x1; ++x) {
                    if (!(run.row[x] >= low && run.row[x] < high) || run.hidden[x]) continue;
                    c.x += x;
                    c.starlight += starlight.at(x, run.y);
                }
            }
            out.inside += static_cast<std::size_t>(run.x1 - run.x0);
        });
        if (structured) levelStructured(grid);
    }
    double sum = 0, area = 0, inverse = 0, u = 0, v = 0, rr = 0;
    for (const RegionCells& grid : grids) {
        for (std::size_t i = 0; i < grid.cells.size(); ++i) {
            const RegionCell& c = grid.cells[i];
            if (c.whole < 1) continue;
            const Point centre{c.wholeX / c.whole, c.wholeY / c.whole};
            const SurfaceBasis whole = SurfaceBasis::at(centre, plane.width(), plane.height());
            out.whole.u += whole.u * c.whole / static_cast<double>(out.inside);
            out.whole.v += whole.v * c.whole / static_cast<double>(out.inside);
            out.whole.rr += whole.rr * c.whole / static_cast<double>(out.inside);
            out.mean += c.trend * c.whole / static_cast<double>(out.inside);
            const bool seen = c.isKnown(), filled = !seen && c.isFilled;
            if (c.n < 1 && !filled) continue;
            const SurfaceBasis basis = filled ? whole : SurfaceBasis::at({c.x / c.n, c.y / c.n}, plane.width(), plane.height());
            // Sky counts by the pixels seen. What a cell of nebula adds to the trend counts whole, but what peeps out between stars less: most of its light may
            // be theirs.
            const double weight = !structured ? c.n : filled ? c.whole : std::min(c.whole, 2 * c.n);
            sum += weight * (filled ? c.filled : structured ? c.level : (c.sum - c.starlight) / c.n);
            if (!filled) out.starlight += weight * c.starlight / c.n;
            u += weight * basis.u;
            v += weight * basis.v;
            rr += weight * basis.rr;
            area += weight;
            // A filled cell adds no witness: those that it was filled from count for more.
            if (!filled) inverse += std::pow(weight + c.speaksFor, 2) / c.n;
        }
    }
    if (!(area > 0)) return out;
    out.mean += sum / area;
    if (structured)
        for (const RegionCells& grid : grids)
            for (const RegionCell& c : grid.cells)
                if (c.whole > 0 && !c.isKnown() && c.isFilled) out.fillSigma += 0.2 * c.whole * std::abs(c.filled + c.trend - out.mean) / area;
    for (const RegionCells& grid : grids) out.fillSigma = length(out.fillSigma, grid.trendError * out.pixelSigma);
    out.starlight /= area;
    out.basis = structured ? out.whole : SurfaceBasis{u / area, v / area, rr / area}; // the trend reaches over all of it
    // As many equally weighted pixels as would give the same error.
    out.used = static_cast<std::size_t>(std::max(1.0, area * area / inverse));
    return out;
}

std::vector<float> regionValues(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<const Region*>& regions, std::size_t limit) {
    const int rowStep = limit > 0 ? rowsBetween(view, regions, limit) : 1;
    std::vector<float> values;
    for (const Region* r : regions)
        visitRuns(plane, mask, view, *r, rowStep, [&](const RegionRun& run) {
            for (int x = run.x0; x < run.x1; ++x)
                if (run.usable(x)) values.push_back(run.row[x]);
        });
    return values.size() > limit && limit > 0 ? thinned(values, limit) : values;
}

} // namespace caelumen
