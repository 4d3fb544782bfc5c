#include "core/palette/other_time.h"

#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace caelumen {
namespace {

constexpr int kScales = 5;
/// Power of a neighbourhood, in that of noise, which noise alone seldom reaches.
constexpr float kNoise = 1.6F;

/// One step of the B3 spline with holes of `gap` pixels, mirrored at the edges.
Plane smoothed(const Plane& from, int gap) {
    constexpr std::array<float, 3> taps{6.0F / 16, 4.0F / 16, 1.0F / 16};
    const int w = from.width(), h = from.height();
    const auto mirrored = [](int i, int n) {
        const int period = std::max(1, 2 * n - 2);
        i = std::abs(i) % period;
        return i < n ? i : period - i;
    };
    Plane across = Plane::unfilled(w, h), out = Plane::unfilled(w, h);
    tbb::parallel_for(0, h, [&](int y) {
        const float* v = from.row(y);
        float* to = across.row(y);
        const auto at = [&](int x) {
            float sum = taps[0] * v[x];
            for (int k = 1; k < 3; ++k) sum += taps[static_cast<std::size_t>(k)] * (v[mirrored(x - k * gap, w)] + v[mirrored(x + k * gap, w)]);
            return sum;
        };
        const int edge = std::min(w, 2 * gap);
        for (int x = 0; x < edge; ++x) to[x] = at(x);
        for (int x = edge; x < w - edge; ++x) to[x] = taps[0] * v[x] + taps[1] * (v[x - gap] + v[x + gap]) + taps[2] * (v[x - 2 * gap] + v[x + 2 * gap]);
        for (int x = std::max(edge, w - edge); x < w; ++x) to[x] = at(x);
    });
    tbb::parallel_for(0, h, [&](int y) {
        const float *b = across.row(y), *a1 = across.row(mirrored(y - gap, h)), *c1 = across.row(mirrored(y + gap, h)),
                    *a2 = across.row(mirrored(y - 2 * gap, h)), *c2 = across.row(mirrored(y + 2 * gap, h));
        float* to = out.row(y);
        for (int x = 0; x < w; ++x) to[x] = taps[0] * b[x] + taps[1] * (a1[x] + c1[x]) + taps[2] * (a2[x] + c2[x]);
    });
    return out;
}

/// v -= coarse.
void takeOff(Plane& v, const Plane& coarse) {
    tbb::parallel_for(0, v.height(), [&](int y) {
        float* d = v.row(y);
        const float* c = coarse.row(y);
        for (int x = 0; x < v.width(); ++x) d[x] -= c[x];
    });
}

/// Noise of each scale, from the middle of a plane of noise: that of resampled stacks is not white.
std::array<float, kScales> scaleNoise(const Plane& apart) {
    const int w = std::min(apart.width(), 768), h = std::min(apart.height(), 768), x0 = (apart.width() - w) / 2, y0 = (apart.height() - h) / 2;
    Plane left = Plane::unfilled(w, h);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const float v = apart.at(x0 + x, y0 + y);
            left.at(x, y) = std::isfinite(v) ? v : 0;
        }
    std::array<float, kScales> out{};
    for (int scale = 0; scale < kScales; ++scale) {
        Plane coarse = smoothed(left, 1 << scale);
        takeOff(left, coarse);
        std::vector<double> all;
        all.reserve(left.size());
        for (std::size_t i = 0; i < left.size(); ++i) all.push_back(static_cast<double>(left.data()[i]));
        out[static_cast<std::size_t>(scale)] = static_cast<float>(robustSigma(all));
        left = std::move(coarse);
    }
    return out;
}

} // namespace

Plane foretoldLight(const Plane& plane, const Plane& apart) {
    // Holes are bridged while scales are taken apart.
    Plane left(plane);
    std::vector<double> some;
    const std::size_t step = std::max<std::size_t>(1, plane.size() / 10'000);
    for (std::size_t i = 0; i < plane.size(); i += step)
        if (const float v = plane.data()[i]; std::isfinite(v)) some.push_back(static_cast<double>(v));
    const auto middle = static_cast<float>(median(std::span<double>(some)));
    for (std::size_t i = 0; i < left.size(); ++i)
        if (!std::isfinite(left.data()[i])) left.data()[i] = middle;
    const auto noise = scaleNoise(apart);
    Plane out(plane.width(), plane.height(), 0);
    for (int scale = 0; scale < kScales; ++scale) {
        Plane coarse = smoothed(left, 1 << scale);
        takeOff(left, coarse);
        const Plane detail = std::move(left);
        const float variance = noise[static_cast<std::size_t>(scale)] * noise[static_cast<std::size_t>(scale)];
        Plane power = Plane::unfilled(detail.width(), detail.height());
        tbb::parallel_for(0, detail.height(), [&](int y) {
            const float* d = detail.row(y);
            float* p = power.row(y);
            for (int x = 0; x < detail.width(); ++x) p[x] = std::min(d[x] * d[x], 25 * variance); // a star is no neighbourhood
        });
        power = smoothed(power, 1 << scale);
        tbb::parallel_for(0, detail.height(), [&](int y) {
            const float *d = detail.row(y), *p = power.row(y);
            float* to = out.row(y);
            for (int x = 0; x < detail.width(); ++x) {
                // Its neighbourhood's power, or its own where it stands out by more than noise does.
                const float own = d[x] * d[x], local = own > 12 * variance ? std::max(p[x], own) : p[x], beyond = local - kNoise * variance;
                to[x] += beyond > 0 ? beyond / local * d[x] : 0;
            }
        });
        left = std::move(coarse);
    }
    tbb::parallel_for(0, out.height(), [&](int y) {
        float* to = out.row(y);
        const float *rest = left.row(y), *from = plane.row(y);
        for (int x = 0; x < out.width(); ++x) to[x] = std::isfinite(from[x]) ? to[x] + rest[x] : kNoData;
    });
    return out;
}

Plane madeUpNoise(const Plane& plane, double noise, double sky, double total_s, unsigned long long seed) {
    Plane out = Plane::unfilled(plane.width(), plane.height());
    tbb::parallel_for(0, plane.height(), [&](int y) {
        Random random(seed + static_cast<unsigned long long>(y) * 2654435761ULL); // by row: the same in any order
        for (int x = 0; x < plane.width(); ++x) {
            const double light = std::max(0.0, static_cast<double>(plane.at(x, y)) - sky);
            const double sigma = std::sqrt(noise * noise + (total_s > 0 ? light / total_s : 0));
            out.at(x, y) = static_cast<float>(sigma * random.normal());
        }
    });
    return out;
}

} // namespace caelumen
