#pragma once

#include "core/base/statistics.h"
#include "core/live/evidence.h"

#include <cmath>
#include <vector>

namespace caelumen {

/// A night as its subs' figures show it: sky that drifts with the moon, haze that comes and goes, seeing, focus after each swap, clouds that cost subs, pauses.
struct VirtualNight {
    std::vector<std::size_t> order; ///< filters, block by block
    int perBlock = 5;
    double difference = 0;               ///< of filter 1 against 0, in logarithms, in every quantity
    double haze = 0.04, hazeHours = 1.2; ///< wander of the air
    double noise = 0.005;                ///< of one sub's sky
    unsigned long long seed = 1;
};

struct NightFigures {
    std::vector<LivePoint> red, green, blue, starlight, sharpness;
};

inline NightFigures figuresOf(const VirtualNight& night) {
    Random random(night.seed);
    NightFigures out;
    const double cadence = 90 + 200 * random.uniform(), swap = 30 + 400 * random.uniform(), moonrise = 5 * random.uniform(), moon = 1.5 * random.uniform(),
                 slope = 0.08 * random.normal(), bend = 0.02 * random.normal(), focusJump = 0.03;
    double t = 0, haze = night.haze * random.normal(), seeing = 0.1 * random.normal(), focus = 0;
    const auto walk = [&](double& x, double size, double hours, double seconds) {
        const double keep = std::exp(-seconds / 3600 / hours);
        x = keep * x + size * std::sqrt(1 - keep * keep) * random.normal();
    };
    for (const std::size_t filter : night.order) {
        focus = focusJump * random.normal();
        t += swap, walk(haze, night.haze, night.hazeHours, swap), walk(seeing, 0.1, 0.3, swap);
        const bool cloudy = random.uniform() < 0.1;
        const int lost = cloudy ? static_cast<int>(random.index(static_cast<std::size_t>(night.perBlock) + 1)) : 0;
        for (int i = 0; i < night.perBlock; ++i) {
            t += cadence;
            walk(haze, night.haze, night.hazeHours, cadence), walk(seeing, 0.1, 0.3, cadence);
            if (i < lost) continue; // left out by its verdict
            const double hours = t / 3600, sky = slope * hours + bend * hours * hours + moon / (1 + std::exp(-(hours - moonrise) / 0.3)) + 0.6 * haze,
                         own = static_cast<double>(filter) * night.difference;
            const auto add = [&](std::vector<LivePoint>& to, double value, double noise) { to.push_back({t, filter, value + own + noise * random.normal()}); };
            add(out.red, 0.8 * sky, night.noise), add(out.green, sky, night.noise), add(out.blue, 1.3 * sky, night.noise);
            add(out.starlight, -haze - 0.02 * hours, 0.01);
            add(out.sharpness, seeing + focus, 0.02);
        }
    }
    return out;
}

/// A B B A A B B A ...
inline std::vector<std::size_t> abba(int blocks) {
    std::vector<std::size_t> out;
    for (int i = 0; i < blocks; ++i) out.push_back((i + 1) / 2 % 2);
    return out;
}

} // namespace caelumen
