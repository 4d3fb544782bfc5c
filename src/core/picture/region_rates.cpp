#include "core/picture/region_rates.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace caelumen {

std::vector<double> ratesIn(const ViewRun& run, const Region& region, std::size_t most) {
    const Region::Bounds b = region.bounds();
    const double pitch = run.seen.picture->pitch() / run.fromBaseline.scale;
    const double pixels = std::max(1.0, (b.max.x - b.min.x) * (b.max.y - b.min.y) / (pitch * pitch));
    const double step = pitch * std::max(1.0, std::sqrt(pixels / static_cast<double>(most)));
    std::vector<double> out;
    for (double y = b.min.y; y <= b.max.y; y += step)
        for (double x = b.min.x; x <= b.max.x; x += step) {
            if (!region.contains({x, y})) continue;
            // Whole pixels of the run: a mean of neighbours would be quieter than they are.
            const Point there = run.fromBaseline.map({x, y});
            const double p = run.seen.picture->pitch(), shift = 0.5 * (p - 1);
            const Point whole = run.fromBaseline.unmap({p * std::round((there.x - shift) / p) + shift, p * std::round((there.y - shift) / p) + shift});
            if (const auto rates = rateAt(run, whole, pitch)) out.push_back(std::accumulate(rates->begin(), rates->end(), 0.0));
        }
    return out;
}

} // namespace caelumen
