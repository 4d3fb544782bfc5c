#include "core/picture/snap.h"

#include <cmath>

namespace caelumen {
namespace {

constexpr double kSigmas = 6;

} // namespace

std::optional<Point> brightStarNear(const ViewRun& run, Point near, double reach) {
    const auto light = [&](double x, double y) -> double {
        const auto rates = rateAt(run, {x, y}, 1);
        if (!rates) return 0;
        double sum = 0;
        for (const double r : *rates) sum += r;
        return sum;
    };
    double sky = 0, variance = 0;
    for (const auto& s : run.seen.stats()) {
        sky += s.sky;
        variance += s.noise * s.noise;
    }
    const double step = run.seen.picture->pitch() / run.fromBaseline.scale;
    double top = 0;
    Point peak = near;
    for (double y = -reach; y <= reach; y += step)
        for (double x = -reach; x <= reach; x += step)
            if (std::hypot(x, y) <= reach)
                if (const double v = light(near.x + x, near.y + y); v > top) top = v, peak = {near.x + x, near.y + y};
    if (top < sky + kSigmas * std::sqrt(variance)) return std::nullopt;
    // What hangs together with the peak: a burnt-out star is a plateau.
    double sx = 0, sy = 0, n = 0;
    const double half = sky + 0.5 * (top - sky);
    for (int turn = 0; turn < 3; ++turn) {
        sx = sy = n = 0;
        for (double y = -reach; y <= reach; y += step)
            for (double x = -reach; x <= reach; x += step)
                if (std::hypot(x, y) <= reach)
                    if (const double v = light(peak.x + x, peak.y + y); v >= half) sx += x * (v - sky), sy += y * (v - sky), n += v - sky;
        if (!(n > 0)) return peak;
        peak = {peak.x + sx / n, peak.y + sy / n};
    }
    return peak;
}

} // namespace caelumen
