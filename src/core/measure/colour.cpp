#include "core/measure/colour.h"

#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <utility>
#include <vector>

namespace caelumen {
namespace {

using Pairs = std::vector<std::pair<std::uint32_t, std::uint32_t>>;

/// All pairs of n points, or a fixed pseudo-random choice where there are too many.
Pairs pairsOf(std::size_t n, std::size_t most) {
    Pairs out;
    if (n * (n - 1) / 2 <= most) {
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = i + 1; j < n; ++j) out.emplace_back(static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(j));
    } else {
        Random random(n);
        for (std::size_t k = 0; k < most; ++k) {
            const std::size_t i = random.index(n), j = random.index(n);
            if (i != j) out.emplace_back(static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(j));
        }
    }
    return out;
}

/// Median of pairwise slopes.
double theilSen(const std::vector<double>& x, const std::vector<double>& y, const Pairs& pairs) {
    thread_local std::vector<double> slopes;
    slopes.resize(pairs.size());
    std::size_t n = 0;
    for (const auto& [i, j] : pairs) { // no guessing at each
        const double dx = x[j] - x[i];
        slopes[n] = (y[j] - y[i]) / dx;
        n += std::abs(dx) > 1e-9;
    }
    return median(std::span<double>(slopes.data(), n));
}

/// Slope with extra noise in x extrapolated back to none.
double correctedSlope(const std::vector<ColourPoint>& p, Random& random, int repeats, const Pairs& pairs) {
    std::vector<double> x(p.size()), y(p.size());
    const auto slopeAt = [&](double extra) {
        double sum = 0;
        const int times = extra > 0 ? repeats : 1;
        for (int r = 0; r < times; ++r) {
            for (std::size_t i = 0; i < p.size(); ++i) {
                x[i] = p[i].x + (extra > 0 ? std::sqrt(extra) * p[i].xSigma * random.normal() : 0);
                y[i] = p[i].y;
            }
            sum += theilSen(x, y, pairs);
        }
        return sum / times;
    };
    // A slope flattens as s0 / (1 + k (1 + extra)): its inverse is a straight line in `extra`.
    const double none = slopeAt(0), one = slopeAt(1), two = slopeAt(2);
    if (std::abs(none) < 1e-6 || none * one <= 0 || none * two <= 0) return none;
    const double a = 1 / none, rise = ((1 / one - a) + (1 / two - a) / 2) / 2;
    const double inverse = a - rise;
    return inverse * a > 0 && std::abs(inverse) > 0.5 * std::abs(a) ? 1 / inverse : none;
}

double medianOf(const std::vector<ColourPoint>& p, double ColourPoint::*member) {
    std::vector<double> v(p.size());
    std::transform(p.begin(), p.end(), v.begin(), [&](const ColourPoint& c) { return c.*member; });
    return median(std::span<double>(v));
}

/// Scatter beyond each star's own noise: with that much added to it, residuals in units of their errors scatter by one. 0 where noise alone explains them.
double beyondNoise(const std::vector<double>& residuals, const std::vector<double>& variances, double most) {
    std::vector<double> unit(residuals.size());
    const auto scattersMoreWith = [&](double added) {
        for (std::size_t i = 0; i < unit.size(); ++i) unit[i] = residuals[i] / std::sqrt(std::max(variances[i] + added, 1e-300));
        return robustSigmaExceeds(unit, 1);
    };
    if (!scattersMoreWith(0)) return 0;
    double low = 0, high = 1.5 * most * most;
    for (int round = 0; round < 16; ++round) {
        const double middle = 0.5 * (low + high);
        (scattersMoreWith(middle) ? low : high) = middle;
    }
    return std::sqrt(0.5 * (low + high));
}

struct Rest {
    double cast, scatter, beyond;
};

Rest restOf(const std::vector<ColourPoint>& p, double slope, double middle) {
    std::vector<double> intercepts(p.size()), noise(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) {
        intercepts[i] = p[i].y - slope * (p[i].x - middle);
        noise[i] = p[i].ySigma * p[i].ySigma + slope * slope * p[i].xSigma * p[i].xSigma;
    }
    std::vector<double> copy = intercepts;
    const double level = median(std::span<double>(copy));
    for (double& v : intercepts) v -= level;
    copy = intercepts;
    const double scatter = robustSigma(copy);
    return {level - middle, scatter, beyondNoise(intercepts, noise, scatter)};
}

} // namespace

std::optional<ColourFit> fitColour(const std::vector<ColourPoint>& points) {
    if (points.size() < 8) return std::nullopt;
    std::vector<double> xs(points.size());
    std::transform(points.begin(), points.end(), xs.begin(), [](const ColourPoint& c) { return c.x; });
    const double spread = robustSigma(xs), noise = medianOf(points, &ColourPoint::xSigma);
    if (!(spread > 1.5 * noise) || spread < 0.01) return std::nullopt; // all one colour: a slope would be made of noise

    ColourFit out;
    out.stars = points.size();
    Random random(20200521);
    out.slope = correctedSlope(points, random, 4, pairsOf(points.size(), 60'000));
    out.medianIndex = medianOf(points, &ColourPoint::x);
    const Rest rest = restOf(points, out.slope, out.medianIndex);
    out.cast = rest.cast;
    out.noiseLimited = rest.beyond <= 0;
    out.scatter = rest.beyond;

    constexpr std::size_t kBootstraps = 48;
    std::vector<double> slopes(kBootstraps), casts(kBootstraps), scatters(kBootstraps);
    const Pairs pairs = pairsOf(points.size(), 6'000);
    // Each with its own extrapolation: carrying one correction over to all would make the slope's error a fifth too small. Each with dice of its own, so that
    // they can run side by side.
    tbb::parallel_for(std::size_t{0}, kBootstraps, [&](std::size_t k) {
        Random dice(20200522 + k);
        std::vector<ColourPoint> sample(points.size());
        for (ColourPoint& c : sample) c = points[dice.index(points.size())];
        slopes[k] = correctedSlope(sample, dice, 1, pairs);
        const Rest r = restOf(sample, slopes[k], out.medianIndex);
        casts[k] = r.cast;
        scatters[k] = r.scatter;
    });
    const double n = static_cast<double>(points.size());
    out.slopeSigma = std::max(robustSigma(slopes), 1e-5);
    // The cast is read at the median colour, and which stars could be used is chance: other stars of the same field would have another median.
    out.castSigma = std::max(std::hypot(robustSigma(casts), std::abs(out.slope - 1) * medianSigma(xs)), 1e-5);
    const double raw = std::max(robustSigma(scatters), rest.scatter * 1.17 / std::sqrt(n));
    out.scatterSigma = out.noiseLimited ? std::sqrt(2 * rest.scatter * raw) : raw * rest.scatter / std::max(out.scatter, 0.3 * rest.scatter);
    return out;
}

} // namespace caelumen
