#include "core/prepare/drizzle.h"

#include "core/base/statistics.h"
#include "core/image/plane.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

namespace {

/// The nearest whole number; for sizes of frames, and quicker than the library's.
double nearest(double v) {
    constexpr double kShift = 0x1.8p52;
    return (v + kShift) - kShift;
}

/// Sites that lie one beside the other in every other pixel of a row, or one alone.
struct SiteRun {
    int x, count; ///< pixels x, x + 2, ...
    std::size_t lattice;
    int column, direction, row; ///< of the first site; the next lies one column on
};

/// Calls visit(SiteRun) for the pixels of the row in which sites lie.
template<class Visit>
void eachRun(std::span<const Alignment::Affine> to, int y, int width, double reach, Visit visit) {
    const double half = 0.5 * reach + 1e-9; // lattice pixels
    for (std::size_t l = 0; l < to.size(); ++l) {
        const Point start = to[l]({0, static_cast<double>(y)});
        const double stepX = to[l].xx, stepY = to[l].yx;
        const auto column = [&](int x) { return start.x + stepX * x; };
        const auto row = [&](int x) { return start.y + stepY * x; };
        const auto away = [](double v) { return v - nearest(v); };
        // Hardly turned, a whole stretch of pixels lies between two rows of sites, and every other of them as far from a column.
        const int direction = stepX < 0 ? -1 : 1;
        const double drift = std::max(std::abs(stepY), std::abs(stepX - 0.5 * direction));
        const int stretch = std::clamp(static_cast<int>(0.02 / std::max(1e-9, drift)), 1, width);
        for (int from = 0; from < width; from += stretch) {
            const int end = std::min(width, from + stretch);
            if (std::abs(away(row((from + end - 1) / 2))) > half + 0.02) continue;
            for (int first = from; first < std::min(end, from + 2); ++first) {
                const int count = (end - first + 1) / 2, last = first + 2 * (count - 1);
                const double here = away(column(first)), there = away(column(last)), up = away(row(first)), down = away(row(last));
                if (std::abs(here) > half && std::abs(there) > half && here * there > 0) continue; // all of them on the same side
                const bool all = std::max({std::abs(here), std::abs(there), std::abs(up), std::abs(down)}) <= half && std::abs(up - down) < 0.25;
                if (all) {
                    visit(SiteRun{first, count, l, static_cast<int>(nearest(column(first))), direction, static_cast<int>(nearest(row(first)))});
                    continue;
                }
                for (int x = first; x <= last; x += 2)
                    if (std::abs(away(column(x))) <= half && std::abs(away(row(x))) <= half)
                        visit(SiteRun{x, 1, l, static_cast<int>(nearest(column(x))), direction, static_cast<int>(nearest(row(x)))});
            }
        }
    }
}

/// First and one past the last site of a run whose column is there.
std::pair<int, int> sitesWithin(const SiteRun& run, int width) {
    const int before = run.direction > 0 ? -run.column : run.column - (width - 1), end = run.direction > 0 ? width - run.column : run.column + 1;
    const int first = std::clamp(before, 0, run.count);
    return {first, std::clamp(end, first, run.count)};
}

} // namespace

double dropReach(std::optional<double> fwhm_px) {
    constexpr double kWider = 0.025;
    return fwhm_px ? std::min(0.5, std::sqrt(6 * kWider) * *fwhm_px / kSigmaToFwhm) : 0.5;
}

void countDrops(std::span<const Alignment::Affine> to, int y, int width, double reach, int latticeWidth, int latticeHeight, std::uint8_t* drops) {
    eachRun(to, y, width, reach, [&](const SiteRun& run) {
        if (run.row < 0 || run.row >= latticeHeight) return;
        const auto [first, end] = sitesWithin(run, latticeWidth);
        std::uint8_t* const at = drops + run.x;
        for (int k = first; k < end; ++k) at[2 * k] = static_cast<std::uint8_t>(at[2 * k] + (at[2 * k] < 255));
    });
}

void dropInto(std::span<const RowBand> from, std::span<const Alignment::Affine> to, int y, int width, double reach, const std::uint8_t* dropped, float* out) {
    for (int x = 0; x < width; ++x) out[x] = (dropped[x] != 0) & (out[x] == out[x]) ? kPassedOver : out[x];
    eachRun(to, y, width, reach, [&](const SiteRun& run) {
        const RowBand& band = from[run.lattice];
        const auto [first, end] = band.has(run.row) ? sitesWithin(run, band.width) : std::pair{run.count, run.count};
        float* const at = out + run.x;
        for (int k = 0; k < first; ++k) at[2 * k] = kNoData;
        for (int k = end; k < run.count; ++k) at[2 * k] = kNoData;
        if (first == end) return;
        const float* const sites = band.row(run.row) + run.column;
        if (run.direction > 0)
            for (int k = first; k < end; ++k) at[2 * k] = sites[k];
        else
            for (int k = first; k < end; ++k) at[2 * k] = sites[-k];
    });
}

} // namespace caelumen
