#include "core/measure/halo_sectors.h"

#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"
#include "core/measure/halo_discs.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

const std::array<Point, kHaloSectors> kTowards = [] {
    std::array<Point, kHaloSectors> out;
    for (std::size_t s = 0; s < kHaloSectors; ++s) {
        const double phi = (static_cast<double>(s) + 0.5) * 2 * M_PI / kHaloSectors;
        out[s] = {std::cos(phi), std::sin(phi)};
    }
    return out;
}();

std::pair<double, double> meanOverSectors(const std::array<float, kHaloSectors>& sectors) {
    std::array<bool, kHaloSectors> used{};
    for (std::size_t s = 0; s < kHaloSectors; ++s) used[s] = std::isfinite(sectors[s]);
    double mean = 0, sigma = 0;
    for (int round = 0; round < 5; ++round) {
        Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
        Eigen::Vector3d g = Eigen::Vector3d::Zero();
        const auto basis = [](std::size_t s) { return Eigen::Vector3d(1, kTowards[s].x, kTowards[s].y); };
        const auto n = std::count(used.begin(), used.end(), true);
        if (n < 7) return {mean, sigma};
        for (std::size_t s = 0; s < kHaloSectors; ++s) {
            if (!used[s]) continue;
            a += basis(s) * basis(s).transpose();
            g += static_cast<double>(sectors[s]) * basis(s);
        }
        const Eigen::Matrix3d inverse = inverted(a);
        const Eigen::Vector3d p = inverse * g;
        double squares = 0;
        for (std::size_t s = 0; s < kHaloSectors; ++s)
            if (used[s]) squares += std::pow(static_cast<double>(sectors[s]) - p.dot(basis(s)), 2);
        const double scatter = std::sqrt(squares / static_cast<double>(n - 3));
        mean = p[0];
        sigma = scatter * std::sqrt(inverse(0, 0));
        bool changed = false;
        for (std::size_t s = 0; s < kHaloSectors; ++s) {
            if (!used[s] || std::abs(static_cast<double>(sectors[s]) - p.dot(basis(s))) <= 2.5 * scatter) continue;
            used[s] = false;
            changed = true;
        }
        if (!changed) break;
    }
    return {mean, sigma};
}

namespace {

/// The slope of the sky across the star, plane units per plane pixel.
struct SkySlope {
    double x = 0, y = 0, sigma = 0;
};

/// From the rings between two radii (plane pixels), where no disc is; zero with zero error where too few are seen.
SkySlope slopeBetween(const HaloProfile& p, std::size_t from, std::size_t to) {
    double gx = 0, gy = 0, norm = 0, squares = 0, n = 0;
    for (int round = 0; round < 3; ++round) {
        const SkySlope before{norm > 0 ? gx / norm : 0, norm > 0 ? gy / norm : 0, 0};
        gx = gy = norm = squares = n = 0;
        for (std::size_t i = from; i < std::min(to, p.sectors.size()); ++i) {
            if (!(p.sigma[i] > 0)) continue;
            const double r = static_cast<double>(i) + 0.5, sigma = p.sigma[i] * std::sqrt(static_cast<double>(kHaloSectors)), weight = 1 / (sigma * sigma);
            for (std::size_t s = 0; s < kHaloSectors; ++s) {
                const Point d = kTowards[s];
                const double v = static_cast<double>(p.sectors[i][s]) - p.value[i], left = v - r * (before.x * d.x + before.y * d.y);
                if (!std::isfinite(v) || (round > 0 && std::abs(left) > 4 * sigma)) continue;
                gx += weight * v * r * d.x;
                gy += weight * v * r * d.y;
                norm += weight * r * r * 0.5;
                squares += weight * left * left;
                n += 1;
            }
        }
    }
    if (n < 3 * kHaloSectors) return {};
    return {gx / norm, gy / norm, std::max(1.0, std::sqrt(squares / n)) / std::sqrt(norm)};
}

} // namespace

void measureOffset(const HaloProfile& p, HaloRing& ring, double pitch, double known) {
    const auto last = std::min(p.sectors.size(), static_cast<std::size_t>(std::ceil((1.25 * ring.radius + known) / pitch)));
    const SkySlope slope = slopeBetween(p, last, static_cast<std::size_t>(std::max(2.2 * ring.radius / pitch, static_cast<double>(last) + 12)));
    double mx = 0, my = 0, variance = 0, lever = 0;
    const double from = std::max(p.blind, (0.85 * ring.inner - known) / pitch - 2); // the hole of a ring holds nothing but noise
    for (auto i = static_cast<std::size_t>(from); i < last; ++i) {
        const double r = static_cast<double>(i) + 0.5, area = 2 * M_PI * r / kHaloSectors;
        for (std::size_t s = 0; s < kHaloSectors; ++s) {
            const double v = static_cast<double>(p.sectors[i][s]);
            if (!std::isfinite(v) || !(p.sigma[i] > 0)) continue;
            const Point d = kTowards[s];
            const double excess = v - p.value[i] - r * (slope.x * d.x + slope.y * d.y);
            // A neighbour that slipped through must not steer: limit what one sector can say to the ring's own light.
            const double cap = 2.5 * ring.plateau * pitch * pitch * p.flux + 4 * p.sigma[i] * 4;
            const double used = std::clamp(excess, -cap, cap);
            mx += used * area * r * d.x;
            my += used * area * r * d.y;
            variance += p.sigma[i] * p.sigma[i] * kHaloSectors * area * area * r * r * 0.5;
            lever += area * r * r * 0.5;
        }
    }
    const double light = ring.plateau * p.flux * M_PI * (ring.radius * ring.radius - ring.inner * ring.inner);
    if (!(light > 0)) return;
    ring.offset = length(mx, my) / light * pitch;
    ring.offsetSigma = std::sqrt(variance + std::pow(slope.sigma * lever, 2)) / light * pitch;
    ring.offsetAngle_deg = std::atan2(my, mx) * 180 / M_PI;
}

bool closesAround(const HaloProfile& p, double edge, double hole, double height, double blur) {
    struct Part {
        double n = 0, sum = 0, squares = 0, expected = 0;
        double mean() const { return sum / n; }
        double variance() const { return std::max(0.0, squares / n - mean() * mean()) / n; }
    };
    const double width = std::max(4.0, 0.25 * edge), wide = edge * (1 - hole);
    const double gap = std::min(std::max(1.0, blur), 0.25 * wide); // a ring narrower than its edges are soft has no inside
    int steps = 0;
    std::vector<double> parts; // of the step that each quarter shows
    double boldest = 0, doubt = 0;
    for (std::size_t quarter = 0; quarter < 4; ++quarter) {
        const auto between = [&](double from, double to) {
            Part part;
            for (auto i = static_cast<std::size_t>(std::max({0.0, p.blind, from})); i < std::min(p.sectors.size(), static_cast<std::size_t>(std::max(0.0, to)));
                 ++i)
                for (std::size_t s = 4 * quarter; s < 4 * quarter + 4; ++s)
                    if (const auto v = static_cast<double>(p.sectors[i][s]); std::isfinite(v)) {
                        part.n += 1, part.sum += v, part.squares += v * v,
                            part.expected += discLight(static_cast<double>(i) + 0.5, edge, hole, std::max(blur, 0.1));
                    }
            return part;
        };
        const double inner = std::max(edge - gap - width, edge * hole);
        const Part inside = between(std::min(inner, edge - gap - 1.5), edge - gap),
                   outside = between(edge + std::max(gap, blur), edge + std::max(gap, blur) + width);
        if (inside.n < 4 || outside.n < 6) continue;
        const double foretold = height * (inside.expected / inside.n - outside.expected / outside.n), fall = inside.mean() - outside.mean(),
                     error = std::sqrt(inside.variance() + outside.variance());
        steps += fall + error > 0.25 * foretold;
        parts.push_back(fall / foretold);
        if (parts.back() > boldest) boldest = parts.back(), doubt = error / foretold;
    }
    if (parts.size() < 2 || steps < static_cast<int>(std::min<std::size_t>(parts.size(), 3))) return false; // the frame may cut half of it
    const double typical = median(std::span<double>(parts));
    return typical > 0.4 * boldest || boldest - typical < 4 * doubt;
}

OneSided oneSided(const HaloProfile& p, std::size_t from, std::size_t to) {
    std::vector<double> means, errors;
    double area = 0;
    to = std::min(to, p.sectors.size());
    for (std::size_t i = from; i < to; ++i) area += 2 * M_PI * (static_cast<double>(i) + 0.5) / kHaloSectors;
    for (std::size_t s = 0; s < kHaloSectors; ++s) {
        double n = 0, sum = 0, squares = 0;
        for (std::size_t i = from; i < to; ++i)
            if (const auto v = static_cast<double>(p.sectors[i][s]); std::isfinite(v) && p.sigma[i] > 0) n += 1, sum += v, squares += v * v;
        if (n < 6) continue;
        means.push_back(sum / n);
        errors.push_back(std::sqrt(std::max(0.0, squares / n - std::pow(sum / n, 2)) / n));
    }
    if (means.size() < 8) return {};
    const auto boldest = static_cast<std::size_t>(std::max_element(means.begin(), means.end()) - means.begin());
    const double most = means[boldest], typical = median(std::span<double>(means)), spread = robustSigma(means); // these reorder them
    return {(most - typical) * area / p.flux, length(errors[boldest], spread) * area / p.flux};
}

} // namespace caelumen
