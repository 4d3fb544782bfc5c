#include "core/stars/sharpness.h"

#include "core/base/fetch_ahead.h"
#include "core/base/statistics.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Offsets of the pixels between two radii, every `step`-th of them.
std::vector<std::pair<int, int>> ringOffsets(double from, double to, std::size_t step) {
    std::vector<std::pair<int, int>> out;
    const int reach = static_cast<int>(std::ceil(to));
    std::size_t n = 0;
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x)
            if (const double rr = x * x + y * y; rr >= from * from && rr <= to * to && n++ % step == 0) out.emplace_back(x, y);
    return out;
}

} // namespace

void keepSharp(const Plane& plane, std::vector<Star>& stars, const Psf& psf, double noise) {
    const double core = std::max(1.0, 0.55 * psf.fwhm), ringIn = 1.3 * psf.fwhm, ringOut = std::max(2.0 * psf.fwhm, ringIn + 1.5);
    const auto middleOffsets = ringOffsets(0, core + 0.8, 1), ringPixels = ringOffsets(ringIn, ringOut, psf.fwhm > 4 ? 2 : 1),
               farPixels = ringOffsets(3.0 * psf.fwhm, 4.2 * psf.fwhm, 1 + static_cast<std::size_t>(psf.fwhm));
    const int reach = static_cast<int>(std::ceil(4.2 * psf.fwhm));
    std::vector<char> drop(stars.size(), 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, stars.size(), 256), [&](const tbb::blocked_range<std::size_t>& range) {
        std::vector<float> ring, far;
        std::vector<Point> places; // of the middle, from the star's centre
        for (std::size_t i = range.begin(); i < range.end(); ++i) {
            Star& s = stars[i];
            if (i + 1 < range.end()) fetchAround(plane.data(), plane.width(), plane.height(), {stars[i + 1].x, stars[i + 1].y}, static_cast<int>(ringOut));
            if (s.saturated) continue;
            const int cx = static_cast<int>(std::lround(s.x)), cy = static_cast<int>(std::lround(s.y));
            const bool inside = plane.contains(cx - reach, cy - reach) && plane.contains(cx + reach, cy + reach);
            const auto gather = [&](const auto& offsets, std::vector<float>& values) {
                values.clear();
                const float* here = plane.data() + static_cast<std::ptrdiff_t>(cy) * plane.width() + cx;
                for (const auto& [dx, dy] : offsets) {
                    if (!inside && !plane.contains(cx + dx, cy + dy)) continue;
                    if (const float v = here[static_cast<std::ptrdiff_t>(dy) * plane.width() + dx]; std::isfinite(v)) values.push_back(v);
                }
            };
            gather(ringPixels, ring);
            double sum = 0;
            places.clear();
            for (const auto& [dx, dy] : middleOffsets) {
                const double x = cx + dx - s.x, y = cy + dy - s.y;
                if (x * x + y * y > core * core || !plane.contains(cx + dx, cy + dy) || !std::isfinite(plane.at(cx + dx, cy + dy))) continue;
                sum += static_cast<double>(plane.at(cx + dx, cy + dy));
                places.push_back({x, y});
            }
            const auto n = static_cast<int>(places.size());
            if (n < 2 || ring.size() < 8) continue;
            // A knot still falls beyond the ring; a star has fallen already. The sky may be the local one or the far ring's, whichever is lower.
            const double level = median(std::span<float>(ring)), middle = sum / n - level;
            const double error = noise * std::sqrt(1.0 / n + 1.6 / static_cast<double>(ring.size()));
            double part = middle / std::max(sum / n - s.level, 1e-300);
            if (part < 0.8) {
                gather(farPixels, far);
                if (far.size() < 8) continue;
                part = std::min(part, middle / std::max(sum / n - median(std::span<float>(far)), 1e-300));
            }
            if (middle < 3.5 * error || (part < 0.45 && (part < 0.2 || middle < 12 * error)))
                drop[i] = 1;
            else
                s.flux = std::max(1e-300, middle * n / (psf.coreLight(places) - n * psf.lightAt(0.5 * (ringIn + ringOut))));
        }
    });
    std::size_t i = 0;
    std::erase_if(stars, [&](const Star&) { return drop[i++] != 0; });
    std::stable_sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux > b.flux; });
}

} // namespace caelumen
