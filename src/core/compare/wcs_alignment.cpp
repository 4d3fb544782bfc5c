#include "core/compare/wcs_alignment.h"

#include <algorithm>
#include <array>
#include <vector>

namespace caelumen {

std::optional<Alignment> alignmentFromWcs(const TanWcs& baseline, const TanWcs& run, int width, int height) {
    std::vector<std::pair<Point, Point>> pairs;
    for (int j = 0; j <= 4; ++j) {
        for (int i = 0; i <= 4; ++i) {
            const Point p{0.25 * i * (width - 1), 0.25 * j * (height - 1)};
            const auto q = run.toPixel(baseline.toSky(p));
            if (!q) return std::nullopt;
            pairs.emplace_back(p, *q);
        }
    }
    const auto handedness = [](const TanWcs& w) { return w.cd[0] * w.cd[3] - w.cd[1] * w.cd[2] > 0; };
    auto fit = fitSimilarity(pairs, handedness(baseline) != handedness(run));
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
