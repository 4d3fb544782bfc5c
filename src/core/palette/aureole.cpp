#include "core/palette/aureole.h"

#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace caelumen {
namespace {

constexpr std::size_t kSectors = 12;
constexpr double kBin = 2; // pixels

struct Bin {
    double radius, light;
};

/// The light around a star by radius: the mean of the sectors' medians, the highest and the lowest two left out; what rises on one side falls on the other.
std::vector<Bin> profileOf(const Plane& plane, const Mask& mask, const Star& star, double from, double to) {
    const auto bins = static_cast<std::size_t>((to - from) / kBin);
    std::vector<std::array<std::vector<double>, kSectors>> values(bins);
    for (int y = std::max(0, static_cast<int>(star.y - to)); y <= std::min(plane.height() - 1, static_cast<int>(star.y + to)); ++y)
        for (int x = std::max(0, static_cast<int>(star.x - to)); x <= std::min(plane.width() - 1, static_cast<int>(star.x + to)); ++x) {
            const double dx = x - star.x, dy = y - star.y, r = std::hypot(dx, dy);
            const float v = plane.at(x, y);
            if (r < from || v != v || mask.hidden(x, y)) continue;
            const auto bin = static_cast<std::size_t>((r - from) / kBin);
            if (bin >= bins) continue;
            const auto sector = static_cast<std::size_t>((std::atan2(dy, dx) + M_PI) / (2 * M_PI) * kSectors) % kSectors;
            values[bin][sector].push_back(static_cast<double>(v));
        }
    std::vector<Bin> out;
    for (std::size_t b = 0; b < bins; ++b) {
        std::vector<double> medians;
        for (auto& sector : values[b])
            if (sector.size() >= 3) medians.push_back(median(std::span<double>(sector)));
        constexpr std::size_t kTrimmed = 2;
        if (medians.size() < kSectors - kTrimmed) continue;
        std::sort(medians.begin(), medians.end());
        double sum = 0;
        for (std::size_t i = kTrimmed; i + kTrimmed < medians.size(); ++i) sum += medians[i];
        out.push_back({from + (static_cast<double>(b) + 0.5) * kBin, sum / static_cast<double>(medians.size() - 2 * kTrimmed)});
    }
    return out;
}

struct Glow {
    double disc = 1, square = 0, fall = 0;
    double at(double r) const {
        const double x = std::max(r, disc) / disc;
        return square / (x * x) + fall * std::exp(-(x - 1) / 0.7);
    }
};

/// Least squares of the profile on the smooth terms and the shapes that are wanted; the sum of squares left.
double fitted(const std::vector<Bin>& profile, double reach, bool square, bool fall, Glow& aureole) {
    const int terms = 3 + (square ? 1 : 0) + (fall ? 1 : 0), n = static_cast<int>(profile.size());
    Eigen::MatrixXd m(n, terms);
    Eigen::VectorXd y(n);
    const Glow one{aureole.disc, 1, 0}, other{aureole.disc, 0, 1};
    for (int i = 0; i < n; ++i) {
        const double r = profile[static_cast<std::size_t>(i)].radius, p = r / reach;
        int k = 0;
        m(i, k++) = 1, m(i, k++) = p * p, m(i, k++) = p * p * p * p;
        if (square) m(i, k++) = one.at(r);
        if (fall) m(i, k++) = other.at(r);
        y(i) = profile[static_cast<std::size_t>(i)].light;
    }
    const LeastSquares fit = leastSquares(m, y);
    int k = 3;
    aureole.square = square ? fit.solution(k++) : 0;
    aureole.fall = fall ? fit.solution(k++) : 0;
    return fit.squares;
}

} // namespace

void takeAureole(Plane& plane, const Mask& mask, const Star& star, double disc, double noise) {
    const double reach = std::min({std::max(6 * disc, 60.0), 250.0, 0.22 * std::min(plane.width(), plane.height())});
    if (reach < disc + 12 * kBin) return;
    const auto profile = profileOf(plane, mask, star, disc + 1, reach);
    if (profile.size() < 12) return;
    Glow aureole{disc, 0, 0}, none{disc, 0, 0};
    const double without = fitted(profile, reach, false, false, none);
    double left = fitted(profile, reach, true, true, aureole);
    if (aureole.square < 0 || aureole.fall < 0) { // the better of the two alone
        Glow a{disc, 0, 0}, b{disc, 0, 0};
        const double leftA = fitted(profile, reach, true, false, a), leftB = fitted(profile, reach, false, true, b);
        const bool first = b.fall <= 0 || (a.square > 0 && leftA < leftB);
        aureole = first ? a : b, left = first ? leftA : leftB;
    }
    if (aureole.square < 0 || aureole.fall < 0 || left > 0.3 * without) return;
    const double end = aureole.at(reach);
    if (aureole.at(disc) - end < noise) return;
    // Never deeper than the darkest that lies further out: no holes.
    std::vector<double> most(profile.size());
    double darkest = 1e300;
    for (std::size_t b = profile.size(); b-- > 0;) {
        darkest = std::min(darkest, profile[b].light);
        most[b] = std::max(0.0, profile[b].light - darkest);
    }
    const auto taken = [&](double r) {
        const auto next = std::partition_point(profile.begin(), profile.end(), [&](const Bin& b) { return b.radius < r; });
        const auto b = static_cast<std::size_t>(std::min<std::ptrdiff_t>(next - profile.begin(), static_cast<std::ptrdiff_t>(profile.size()) - 1));
        const double before = b > 0 ? most[b - 1] : most[b],
                     part = b > 0 ? std::clamp((r - profile[b - 1].radius) / (profile[b].radius - profile[b - 1].radius), 0.0, 1.0) : 1;
        return std::min(aureole.at(r) - end, (1 - part) * before + part * most[b]);
    };
    for (int y = std::max(0, static_cast<int>(star.y - reach)); y <= std::min(plane.height() - 1, static_cast<int>(star.y + reach)); ++y)
        for (int x = std::max(0, static_cast<int>(star.x - reach)); x <= std::min(plane.width() - 1, static_cast<int>(star.x + reach)); ++x)
            if (const double r = std::hypot(x - star.x, y - star.y); r < reach) plane.at(x, y) -= static_cast<float>(taken(r));
}

} // namespace caelumen
