#include "core/stars/photometry.h"

#include "core/base/statistics.h"
#include "core/stars/sep_library.h"

#include <algorithm>

namespace caelumen {

ApertureFlux apertureFlux(const Plane& plane, const Mask& mask, const SmoothSky& sky, Point at, const ApertureOptions& o) {
    ApertureFlux out;
    const int reach = static_cast<int>(std::ceil(o.radius)) + 1;
    const int cx = static_cast<int>(std::lround(at.x)), cy = static_cast<int>(std::lround(at.y));
    if (!plane.contains(cx - reach, cy - reach) || !plane.contains(cx + reach, cy + reach)) return out;
    for (int y = cy - reach; y <= cy + reach; ++y)
        for (int x = cx - reach; x <= cx + reach; ++x)
            if (!(std::isfinite(plane.at(x, y))) || static_cast<double>(plane.at(x, y)) >= o.saturation) return out;

    sep_image image{};
    image.data = plane.data();
    image.dtype = SEP_TFLOAT;
    image.w = plane.width();
    image.h = plane.height();
    double sum = 0, error = 0, area = 0;
    short flag = 0;
    if (sep_sum_circle(&image, at.x, at.y, o.radius, 0, 0, 0, &sum, &error, &area, &flag) != 0 || !(area > 0)) return out;

    const auto [inner, outer] = SkyRing(o.radius);
    const int r = static_cast<int>(std::ceil(outer)), left = std::max(0, cx - r), across = std::min(plane.width() - 1, cx + r) - left + 1;
    thread_local std::vector<float> ring;
    thread_local std::vector<double> away, distances; // of those in the ring; of a row
    ring.resize(static_cast<std::size_t>(across) * static_cast<std::size_t>(2 * r + 1));
    away.resize(ring.size());
    distances.resize(static_cast<std::size_t>(across));
    std::size_t taken = 0;
    for (int y = std::max(0, cy - r); y <= std::min(plane.height() - 1, cy + r); ++y) {
        const float* row = plane.row(y) + left;
        const Flags hidden = mask.row(y) + left;
        for (int i = 0; i < across; ++i) distances[static_cast<std::size_t>(i)] = length(left + i - at.x, y - at.y);
        for (int from = 0; from < across; from += Flags::kTogether) {
            const int n = std::min(Flags::kTogether, across - from);
            const std::uint64_t bits = hidden.bits(from, n);
            for (int k = 0; k < n; ++k) { // no guessing at each
                const int i = from + k;
                const double d = distances[static_cast<std::size_t>(i)];
                ring[taken] = row[i];
                away[taken] = d;
                taken += (d >= inner) & (d <= outer) & std::isfinite(row[i]) & !(bits >> k & 1);
            }
        }
    }
    ring.resize(taken);
    double starLight = 0;
    for (std::size_t i = 0; o.starLight && i < taken; ++i)
        if (const auto quarter = static_cast<std::size_t>(4 * away[i] + 0.5); quarter < o.starLight->size()) starLight += (*o.starLight)[quarter];
    double level = sky.level(at.x, at.y);
    const double noise = o.pixelNoise * std::max(1.0, o.noiseCorrelation);
    double levelSigma = 0.3 * noise;
    if (ring.size() >= 30) {
        const ClippedStats s = clippedStats(std::span<float>(ring));
        level = s.mean;
        out.ringLight = starLight / static_cast<double>(ring.size());
        levelSigma = noise / std::sqrt(static_cast<double>(s.count));
    }
    out.flux = sum - level * area;
    out.sigma = std::sqrt(area * noise * noise + area * area * levelSigma * levelSigma + std::max(0.0, out.flux) * o.photonScale);
    out.usable = true;
    return out;
}

} // namespace caelumen
