#include "core/measure/banding.h"

#include "core/base/fetch_ahead.h"
#include "core/base/pixel_rows.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

constexpr int kStretch = 64; ///< pixels of one half before the other's turn; also the longest structure that counts

/// Sums over one row or column, by halves.
struct Level {
    std::array<double, 2> sum{}, count{};
};

/// What both halves of the levels share, once anything that lasts longer than 64 lines is gone.
Banding shared(const std::vector<Level>& levels) {
    const auto n = static_cast<int>(levels.size());
    std::array<std::vector<double>, 2> half;
    std::vector<char> known(levels.size());
    for (std::size_t i = 0; i < levels.size(); ++i) {
        known[i] = levels[i].count[0] >= 24 && levels[i].count[1] >= 24;
        for (std::size_t h = 0; h < 2; ++h) half[h].push_back(known[i] ? levels[i].sum[h] / levels[i].count[h] : 0);
    }
    std::vector<double> products, firsts, seconds;
    Banding out;
    out.levels.assign(levels.size(), kNoData);
    for (int i = 0; i < n; ++i) {
        if (!known[static_cast<std::size_t>(i)]) continue;
        std::array<double, 2> around{};
        int neighbours = 0;
        for (int k = std::max(0, i - kStretch / 2); k <= std::min(n - 1, i + kStretch / 2); ++k) {
            if (!known[static_cast<std::size_t>(k)]) continue;
            for (std::size_t h = 0; h < 2; ++h) around[h] += half[h][static_cast<std::size_t>(k)];
            ++neighbours;
        }
        if (neighbours < 16) continue;
        const double a = half[0][static_cast<std::size_t>(i)] - around[0] / neighbours, b = half[1][static_cast<std::size_t>(i)] - around[1] / neighbours;
        const double kept = 1 - 1.0 / neighbours; // of a line's own variance
        out.levels[static_cast<std::size_t>(i)] = static_cast<float>(0.5 * (a + b));
        products.push_back(a * b / kept);
        firsts.push_back(a * a);
        seconds.push_back(b * b);
    }
    if (products.size() < 32) return out;
    const auto mean = [](const std::vector<double>& v) {
        double sum = 0;
        for (const double x : v) sum += x;
        return sum / static_cast<double>(v.size());
    };
    out.variance = mean(products);
    out.sigma = std::sqrt((mean(firsts) * mean(seconds) + out.variance * out.variance) / static_cast<double>(products.size()));
    out.valid = true;
    return out;
}

} // namespace

BandingPair measureBanding(const Plane& plane, const Mask& mask, const SmoothSky& sky, double pixelNoise) {
    if (!(pixelNoise > 0)) return {};
    const int w = plane.width(), h = plane.height();
    const auto limit = static_cast<float>(3 * pixelNoise);
    // Of large frames every fourth or eighth stretch: their lines are long enough.
    const int part = plane.size() > 12'000'000 ? 8 : plane.size() > 4'000'000 ? 4 : 1;
    std::vector<Level> lines(static_cast<std::size_t>(h));
    const int strips = (h + kStretch - 1) / kStretch;
    std::vector<std::vector<float>> sums(static_cast<std::size_t>(strips)), counts(static_cast<std::size_t>(strips));
    tbb::parallel_for(0, strips, [&](int strip) {
        std::vector<rows::Piece> level;
        const bool columns = strip % part == 0;
        auto &sum = sums[static_cast<std::size_t>(strip)], &count = counts[static_cast<std::size_t>(strip)];
        if (columns) {
            sum.assign(static_cast<std::size_t>(w), 0);
            count.assign(static_cast<std::size_t>(w), 0);
        }
        for (int y = strip * kStretch; y < std::min(h, (strip + 1) * kStretch); ++y) {
            const float* row = plane.row(y);
            const Flags hidden = mask.row(y);
            const auto take = [&](int x, int n, const rows::Ramp& ramp) {
                return rows::residuals(row + x, ramp, hidden + x, n, limit, columns ? sum.data() + x : nullptr, columns ? count.data() + x : nullptr);
            };
            // Along the pieces of the sky and the stretches at once.
            sky.pieces(y, 0, 0, w, level);
            auto piece = level.begin();
            for (int stretch = 0; stretch * kStretch < w; ++stretch) {
                const bool wanted = stretch % part == 0;
                if (!wanted && !columns) continue;
                if (!columns && y + 1 < h) fetchRow(plane.row(y + 1), stretch * kStretch, std::min(w, (stretch + 1) * kStretch)); // far apart
                Level& l = lines[static_cast<std::size_t>(y)];
                const auto half = static_cast<std::size_t>(stretch / part % 2);
                for (int x = stretch * kStretch, end = std::min(w, x + kStretch); x < end;) {
                    while (piece->x + piece->n <= x) ++piece;
                    const int next = std::min(end, piece->x + piece->n);
                    const rows::Residuals r = take(x, next - x, {piece->ramp.at(x - piece->x), piece->ramp.step});
                    if (wanted) {
                        l.sum[half] += static_cast<double>(r.sum);
                        l.count[half] += r.count;
                    }
                    x = next;
                }
            }
        }
    });
    std::vector<Level> columns(static_cast<std::size_t>(w));
    for (int strip = 0; strip < strips; strip += part) {
        const auto half = static_cast<std::size_t>(strip / part % 2);
        for (std::size_t x = 0; x < columns.size(); ++x) {
            columns[x].sum[half] += static_cast<double>(sums[static_cast<std::size_t>(strip)][x]);
            columns[x].count[half] += static_cast<double>(counts[static_cast<std::size_t>(strip)][x]);
        }
    }
    return {shared(lines), shared(columns)};
}

} // namespace caelumen
