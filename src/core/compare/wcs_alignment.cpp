#include "core/compare/wcs_alignment.h"

#include <algorithm>
#include <array>
#include <vector>

namespace caelumen {

std::optional<Alignment> alignmentFromWcs(const SkyCoordinates& baseline, const SkyCoordinates& run, int width, int height) {
    std::vector<std::pair<Point, Point>> pairs;
    for (int j = 0; j <= 4; ++j) {
        for (int i = 0; i <= 4; ++i) {
            const Point p{0.25 * i * (width - 1), 0.25 * j * (height - 1)};
            const auto sky = baseline.toSky(p);
            const auto q = sky ? run.toPixel(*sky) : std::nullopt;
            if (!q) return std::nullopt;
            pairs.emplace_back(p, *q);
        }
    }
    auto fit = fitSimilarity(pairs, baseline.mirrored() != run.mirrored());
    if (!fit) return std::nullopt;
    fit->matched = 0;
    return fit;
}

double distanceBetween(const Alignment& a, const Alignment& b, int width, int height) {
    double largest = 0;
    for (const Point p : std::array<Point, 5>{{{0, 0}, {width - 1.0, 0}, {0, height - 1.0}, {width - 1.0, height - 1.0}, {0.5 * width, 0.5 * height}}}) {
        const Point q = a.map(p), r = b.map(p);
        largest = std::max(largest, length(q.x - r.x, q.y - r.y));
    }
    return largest;
}

} // namespace caelumen
