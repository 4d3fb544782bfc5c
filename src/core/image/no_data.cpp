#include "core/image/no_data.h"

#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <limits>
#include <numeric>
#include <vector>

namespace caelumen {
namespace {

constexpr std::size_t kSmallestArea = 64;

void dropInfinite(float* row, int width) {
    std::replace_if(
        row, row + width, [](float v) { return !std::isfinite(v); }, kNoData);
}

bool zerosAreSky(const Plane& plane, float zero) {
    std::vector<double> sample;
    const std::size_t step = std::max<std::size_t>(1, plane.size() / 20000);
    for (std::size_t i = 0; i < plane.size(); i += step)
        if (std::isfinite(plane.data()[i]) && plane.data()[i] != zero) sample.push_back(static_cast<double>(plane.data()[i]));
    if (sample.size() < 50) return false;
    std::vector<double> copy = sample;
    return std::abs(median(std::span<double>(sample)) - static_cast<double>(zero)) < 3 * robustSigma(copy);
}

} // namespace

void RowsSeen::take(float* row, int width, int y, Rescale by) {
    m_rows[static_cast<std::size_t>(y)] = rows::scaleAndLook(row, width, by.zero, by.factor);
    if (m_extremes) rows::extremes(row, width, m_extremes->lows(y), m_extremes->highs(y));
    if (m_rows[static_cast<std::size_t>(y)].infinite) dropInfinite(row, width);
}

void RowsSeen::takeTurned(const std::uint32_t* turned, int width, int y, Rescale by, float* to) {
    m_rows[static_cast<std::size_t>(y)] = rows::scaleTurned(turned, width, by.zero, by.factor, to);
    if (m_extremes) {
        float *const lows = m_extremes->lows(y), *const highs = m_extremes->highs(y);
        rows::extremesTurned(turned, width, lows, highs);
        for (float* const e : {lows, highs}) rows::scale(e, m_extremes->stretches(), by.zero, by.factor); // rounding keeps an order
        if (by.factor < 0) std::swap_ranges(lows, lows + m_extremes->stretches(), highs);
    }
    if (m_rows[static_cast<std::size_t>(y)].infinite) dropInfinite(to, width);
}

std::int64_t RowsSeen::zeros() const {
    return std::accumulate(m_rows.begin(), m_rows.end(), std::int64_t{0}, [](std::int64_t sum, const rows::Found& row) { return sum + row.zeros; });
}

float RowsSeen::top() const {
    float most = -std::numeric_limits<float>::infinity();
    for (const rows::Found& row : m_rows) most = std::max(most, row.top);
    return most;
}

void markNoData(Plane& plane) {
    RowsSeen seen(plane.height());
    tbb::parallel_for(0, plane.height(), [&](int y) { seen.take(plane.row(y), plane.width(), y, {}); });
    markNoData(plane, seen);
}

void markNoData(Plane& plane, const RowsSeen& rows, float zero) {
    const int w = plane.width(), h = plane.height();
    if (rows.zeros() < static_cast<std::int64_t>(kSmallestArea)) return;
    const bool onlyBorder = zerosAreSky(plane, zero);
    std::vector<bool> seen(plane.size());
    std::vector<std::size_t> area, queue;
    const auto grow = [&](std::size_t start) {
        area.clear();
        queue.assign(1, start);
        seen[start] = true;
        bool border = false;
        while (!queue.empty()) {
            const std::size_t at = queue.back();
            queue.pop_back();
            area.push_back(at);
            const int x = static_cast<int>(at % static_cast<std::size_t>(w)), y = static_cast<int>(at / static_cast<std::size_t>(w));
            border |= x == 0 || y == 0 || x == w - 1 || y == h - 1;
            const auto visit = [&](int nx, int ny) {
                if (!plane.contains(nx, ny)) return;
                const std::size_t next = static_cast<std::size_t>(ny) * static_cast<std::size_t>(w) + static_cast<std::size_t>(nx);
                if (seen[next] || plane.data()[next] != zero) return;
                seen[next] = true;
                queue.push_back(next);
            };
            visit(x - 1, y);
            visit(x + 1, y);
            visit(x, y - 1);
            visit(x, y + 1);
        }
        if (area.size() >= kSmallestArea && (border || !onlyBorder))
            for (const std::size_t at : area) plane.data()[at] = kNoData;
    };
    for (int y = 0; y < h; ++y) {
        if (rows.zeros(y) == 0) continue;
        const std::size_t first = static_cast<std::size_t>(y) * static_cast<std::size_t>(w);
        for (std::size_t start = first; start < first + static_cast<std::size_t>(w); ++start)
            if (plane.data()[start] == zero && !seen[start]) grow(start);
    }
}

} // namespace caelumen
