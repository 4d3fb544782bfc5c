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

/// Calls visit(x, lattice, column, row) for each pixel of the row in which a site lies.
template<class Visit>
void eachSite(std::span<const Alignment::Affine> to, int y, int width, double reach, Visit visit) {
    const double half = 0.5 * reach + 1e-9; // lattice pixels
    for (std::size_t l = 0; l < to.size(); ++l) {
        const Point start = to[l]({0, static_cast<double>(y)});
        const double stepX = to[l].xx, stepY = to[l].yx;
        const auto awayFromRow = [&](int x) { return std::abs(start.y + stepY * x - nearest(start.y + stepY * x)); };
        // Hardly turned, a whole stretch of pixels lies between two rows of sites.
        const int stretch = std::clamp(static_cast<int>(0.02 / std::max(1e-9, std::abs(stepY))), 1, width);
        for (int from = 0; from < width; from += stretch) {
            const int end = std::min(width, from + stretch);
            if (awayFromRow((from + end - 1) / 2) > half + 0.02) continue;
            for (int x = from; x < end; ++x) {
                const double u = start.x + stepX * x, v = start.y + stepY * x, column = nearest(u), row = nearest(v);
                if (std::abs(u - column) <= half && std::abs(v - row) <= half) visit(x, l, static_cast<int>(column), static_cast<int>(row));
            }
        }
    }
}

} // namespace

double dropReach(std::optional<double> fwhm_px) {
    constexpr double kWider = 0.025;
    return fwhm_px ? std::min(0.5, std::sqrt(6 * kWider) * *fwhm_px / kSigmaToFwhm) : 0.5;
}

void sitesInRow(std::span<const Alignment::Affine> to, int y, int width, double reach, std::int8_t* lattice) {
    std::fill_n(lattice, width, std::int8_t{-1});
    eachSite(to, y, width, reach, [&](int x, std::size_t l, int, int) { lattice[x] = static_cast<std::int8_t>(l); });
}

void dropInto(std::span<const RowBand> from, std::span<const Alignment::Affine> to, int y, int width, double reach, float* out) {
    eachSite(to, y, width, reach, [&](int x, std::size_t l, int column, int row) {
        const RowBand& band = from[l];
        out[x] = band.has(row) && column >= 0 && column < band.width ? band.row(row)[column] : kNoData;
    });
}

void DrizzledRows::choose(std::span<const float* const> rows, std::span<const std::int8_t> sites, int width, std::ptrdiff_t above, std::ptrdiff_t below,
                          bool halves) {
    const auto n = static_cast<std::size_t>(width);
    m_width = width, m_subs = rows.size(), m_halves = halves;
    m_values.resize((halves ? 3 : 1) * m_subs * 3 * n);
    m_drops.assign(n, 0), m_covered.assign(n, 0), m_taken.assign(n, 0);
    for (std::size_t i = 0; i < m_subs; ++i)
        for (std::size_t x = 0; x < n; ++x) {
            const bool there = rows[i][x] == rows[i][x];
            m_covered[x] = static_cast<std::uint16_t>(m_covered[x] + there);
            m_drops[x] = static_cast<std::uint16_t>(m_drops[x] + (there && sites[i * n + x] >= 0));
        }
    m_drizzled = static_cast<int>(std::count_if(m_drops.begin(), m_drops.end(), [](std::uint16_t d) { return d >= kFewestDrops; }));
    for (std::size_t i = 0; i < m_subs; ++i) {
        const auto into = [&](std::size_t part) { return m_values.data() + ((part * m_subs + i) * 3 + 1) * n; };
        float* const all = into(0);
        std::copy_n(rows[i] + above, n, all - n);
        std::copy_n(rows[i] + below, n, all + n);
        for (std::size_t x = 0; x < n; ++x) all[x] = m_drops[x] >= kFewestDrops && sites[i * n + x] < 0 ? kNoData : rows[i][x];
        if (!halves) continue;
        float *const odd = into(1), *const even = into(2);
        for (float* half : {odd, even}) std::copy_n(all - n, n, half - n), std::copy_n(all + n, n, half + n);
        for (std::size_t x = 0; x < n; ++x) {
            const bool drop = m_drops[x] >= kFewestDrops,
                       first = drop ? m_taken[x] % 2 == 0 : i % 2 == 0; // halves of equal depth, whichever subs hit the pixel
            odd[x] = first ? all[x] : kNoData, even[x] = first ? kNoData : all[x];
            if (drop && all[x] == all[x]) ++m_taken[x];
        }
    }
}

std::vector<const float*> DrizzledRows::of(Part part) const {
    std::vector<const float*> out;
    const auto n = static_cast<std::size_t>(m_width), p = m_halves ? static_cast<std::size_t>(part) : 0;
    for (std::size_t i = 0; i < m_subs; ++i) out.push_back(m_values.data() + ((p * m_subs + i) * 3 + 1) * n);
    return out;
}

} // namespace caelumen
