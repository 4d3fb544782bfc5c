#include "core/prepare/resample.h"

#include "core/base/pixel_rows.h"

#include <array>
#include <vector>

namespace caelumen {
namespace {

constexpr double kWhole = 1e-4; ///< phases so near a pixel's middle count as there

std::array<float, 4> cubicWeights(float t) {
    return {0.5F * (-t + 2 * t * t - t * t * t), 0.5F * (2 - 5 * t * t + 3 * t * t * t), 0.5F * (t + 4 * t * t - 3 * t * t * t), 0.5F * (-t * t + t * t * t)};
}

} // namespace

void resampleRow(const RowBand& from, const Alignment::Affine& to, int y, int width, float weight, float* out) {
    // Output pixels `stride` apart lie about one lattice pixel apart: each such comb is walked by itself.
    const int stride = std::clamp(static_cast<int>(std::lround(1 / std::max(1e-3, std::abs(to.xx)))), 1, 4);
    const double stepX = to.xx * stride, stepY = to.yx * stride;
    const int direction = stepX < 0 ? -1 : 1;
    thread_local std::vector<float> phase, part;
    thread_local std::array<std::vector<float>, 4> vertical;
    const auto most = static_cast<std::size_t>(width / stride + 2);
    phase.resize(most), part.resize(most);
    for (auto& v : vertical) v.resize(most);
    for (int comb = 0; comb < stride; ++comb) {
        const int count = (width - comb + stride - 1) / stride;
        const Point start = to({static_cast<double>(comb), static_cast<double>(y)});
        for (int k = 0; k < count;) {
            const double sx = start.x + stepX * k, sy = start.y + stepY * k;
            int ix = static_cast<int>(std::floor(sx + kWhole)), iy = static_cast<int>(std::floor(sy + kWhole));
            // How long the lattice is walked pixel by pixel.
            int end = k + 1;
            while (end < count) {
                const double x = start.x + stepX * end, v = start.y + stepY * end;
                if (static_cast<int>(std::floor(x + kWhole)) != ix + direction * (end - k) || static_cast<int>(std::floor(v + kWhole)) != iy) break;
                ++end;
            }
            int length = end - k;
            const bool wholeY = std::abs(sy - iy) < kWhole && std::abs(start.y + stepY * (end - 1) - iy) < kWhole;
            const bool whole = wholeY && std::abs(sx - ix) < kWhole && std::abs(start.x + stepX * (end - 1) - (ix + direction * (length - 1))) < kWhole;
            const auto place = [&](int i) -> float& { return out[comb + stride * (k + i)]; };
            const int rim = whole ? 0 : 1; // pixels needed before the first and, plus one, after the last
            const bool rows = whole ? from.has(iy) : from.has(iy - 1) && from.has(iy + 2);
            for (int i = 0; i < length; ++i) {
                const int at = ix + direction * i;
                if (!rows || at - rim < 0 || at + 2 * rim >= from.width) place(i) = kNoData;
            }
            if (rows) {
                // The part of the walk whose neighbourhood is there.
                int first = 0, last = length - 1;
                const auto inside = [&](int i) { const int at = ix + direction * i; return at - rim >= 0 && at + 2 * rim < from.width; };
                while (first <= last && !inside(first)) ++first;
                while (last >= first && !inside(last)) --last;
                const int n = last - first + 1;
                if (n > 0 && whole) {
                    const float* row = from.row(iy);
                    for (int i = first; i <= last; ++i) place(i) += weight * row[ix + direction * i];
                } else if (n > 0) {
                    // Ascending in the lattice, whichever way the output runs.
                    const int lowest = direction > 0 ? ix + first : ix - last;
                    for (int i = 0; i < n; ++i) {
                        const int at = direction > 0 ? first + i : last - i;
                        const double x = start.x + stepX * (k + at), v = start.y + stepY * (k + at);
                        phase[static_cast<std::size_t>(i)] = static_cast<float>(std::clamp(x - (lowest + i), 0.0, 1.0));
                        const auto w = cubicWeights(static_cast<float>(std::clamp(v - iy, 0.0, 1.0)));
                        for (std::size_t r = 0; r < 4; ++r) vertical[r][static_cast<std::size_t>(i)] = weight * w[r];
                    }
                    std::fill_n(part.begin(), n, 0.0F);
                    for (int r = 0; r < 4; ++r) rows::cubic(from.row(iy - 1 + r) + lowest, phase.data(), n, vertical[static_cast<std::size_t>(r)].data(), part.data());
                    for (int i = 0; i < n; ++i) place(direction > 0 ? first + i : last - i) += part[static_cast<std::size_t>(i)];
                }
            }
            k = end;
        }
    }
}

double noiseKept(const Alignment::Affine& to, int width, int height) {
    double sum = 0;
    int n = 0;
    for (int j = 0; j < 12; ++j)
        for (int i = 0; i < 12; ++i) {
            const Point p = to({std::floor((i + 0.5) * width / 12), std::floor((j + 0.5) * height / 12)});
            double x = 0, y = 0;
            for (const double w : cubicWeights(static_cast<float>(p.x - std::floor(p.x)))) x += w * w;
            for (const double w : cubicWeights(static_cast<float>(p.y - std::floor(p.y)))) y += w * w;
            sum += x * y, ++n;
        }
    return sum / n;
}

std::pair<int, int> rowsNeeded(const Alignment::Affine& to, int width, int y0, int y1, int height) {
    double low = 1e18, high = -1e18;
    for (const double x : {0.0, width - 1.0})
        for (const double y : {static_cast<double>(y0), y1 - 1.0}) {
            const double at = to({x, y}).y;
            low = std::min(low, at), high = std::max(high, at);
        }
    const auto cut = [&](double v) { return static_cast<int>(std::clamp(v, 0.0, static_cast<double>(height))); };
    return {cut(std::floor(low) - 2), cut(std::floor(high) + 4)};
}

} // namespace caelumen
