#include "core/stars/moffat.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kParameters = 8, kHalf = 4; // amplitude, x, y, base, log-ish shape (3), 1/beta
using Vector = Eigen::Matrix<double, kParameters, 1>;
using Matrix = Eigen::Matrix<double, kParameters, kParameters>;

/// Shape by its lower-triangular root, so that the ellipse is always an ellipse: C = L L^T.
Moffat unpack(const Vector& p) {
    Moffat m;
    m.amplitude = p[0];
    m.x = p[1];
    m.y = p[2];
    m.base = p[3];
    m.cxx = p[4] * p[4];
    m.cxy = p[4] * p[5];
    m.cyy = p[5] * p[5] + p[6] * p[6];
    m.beta = 1 / p[7];
    return m;
}

struct Sample {
    double x, y, value;
};

/// Value and derivatives of a Moffat at an offset from its centre; base is left to the caller.
double derivatives(const Moffat& m, const Vector& p, double dx, double dy, Vector& d) {
    const double u = p[4] * dx + p[5] * dy, v = p[6] * dy;
    const double t = 1 + u * u + v * v, logarithm = std::log(t), value = std::exp(-m.beta * logarithm);
    const double slope = -m.amplitude * m.beta * value / t; // d/dq
    d[0] = value;
    d[1] = slope * -2 * u * p[4];
    d[2] = slope * -2 * (u * p[5] + v * p[6]);
    d[3] = 1;
    d[4] = slope * 2 * u * dx;
    d[5] = slope * 2 * u * dy;
    d[6] = slope * 2 * v * dy;
    d[7] = m.amplitude * value * logarithm * m.beta * m.beta;
    return value;
}

/// Sum of squares at a point, with the equations of the step from there: a point is worth them, since nearly every one that is tried is stepped from.
struct Equations {
    double cost = 0;
    Matrix a = Matrix::Zero(); ///< the lower triangle holds
    Vector g = Vector::Zero();

    Equations(const std::vector<Sample>& samples, const Vector& p, Point split) {
        const Moffat m = unpack(p);
        const bool two = split.x != 0 || split.y != 0;
        Vector d, other;
        for (const Sample& s : samples) {
            const double dx = s.x - m.x, dy = s.y - m.y;
            double value = derivatives(m, p, dx + split.x, dy + split.y, d);
            if (two) {
                value = 0.5 * (value + derivatives(m, p, dx - split.x, dy - split.y, other));
                d = 0.5 * (d + other);
            }
            const double r = s.value - (m.base + m.amplitude * value);
            cost += r * r;
            for (int k = 0; k < kHalf; ++k) {
                a.col(k) += d[k] * d;
                a.col(k + kHalf).tail<kHalf>() += d[k + kHalf] * d.tail<kHalf>();
            }
            g += d * r;
        }
    }
    Vector step(double damping) const {
        Matrix damped = a;
        damped.diagonal() += damping * a.diagonal();
        return damped.ldlt().solve(g);
    }
};

void keepSane(Vector& p) {
    p[7] = std::clamp(p[7], 1 / 12.0, 1 / 1.4);
    for (int k : {4, 6}) p[k] = std::clamp(std::abs(p[k]), 0.02, 4.0);
    p[5] = std::clamp(p[5], -4.0, 4.0);
}

} // namespace

double Moffat::shape(double dx, double dy) const {
    return std::exp(-beta * std::log(1 + cxx * dx * dx + 2 * cxy * dx * dy + cyy * dy * dy));
}
double Moffat::flux() const {
    return amplitude * M_PI / ((beta - 1) * std::sqrt(cxx * cyy - cxy * cxy));
}
double Moffat::fwhm() const {
    return 2 * std::sqrt(std::pow(2, 1 / beta) - 1) / std::pow(cxx * cyy - cxy * cxy, 0.25);
}
double Moffat::eccentricity() const {
    const double mean = 0.5 * (cxx + cyy), spread = length(0.5 * (cxx - cyy), cxy);
    return std::sqrt(std::max(0.0, 1 - (mean - spread) / (mean + spread))); // (b/a)^2 is the ratio of the eigenvalues
}

std::optional<Moffat> fitMoffat(const Plane& plane, const Star& star, double sigma, Point split) {
    if (star.saturated) return std::nullopt;
    const double size = std::max(1.0, std::sqrt(std::max(0.5, star.a) * std::max(0.5, star.b)));
    const int reach = std::clamp(static_cast<int>(std::lround(6 * size)), 5, 24);
    const int cx = static_cast<int>(std::lround(star.x)), cy = static_cast<int>(std::lround(star.y));
    if (!plane.contains(cx - reach, cy - reach) || !plane.contains(cx + reach, cy + reach)) return std::nullopt;
    std::vector<Sample> samples;
    for (int y = cy - reach; y <= cy + reach; ++y) {
        for (int x = cx - reach; x <= cx + reach; ++x) {
            const double dx = x - star.x, dy = y - star.y;
            const float v = plane.at(x, y);
            if (dx * dx + dy * dy > reach * reach || !std::isfinite(v)) continue;
            samples.push_back({dx, dy, static_cast<double>(v) - star.level});
        }
    }
    if (samples.size() < 40) return std::nullopt;
    Vector p;
    const double c = 0.35 / size;
    p << star.peak, 0, 0, 0, c * 1.3, 0, c * 1.3, 1 / 3.5;
    Equations now(samples, p, split);
    double damping = 1e-3;
    bool settled = false;
    for (int round = 0; round < 60 && !settled; ++round) {
        for (int attempt = 0; attempt < 8; ++attempt) {
            Vector next = p + now.step(damping);
            if (!next.allFinite()) return std::nullopt;
            keepSane(next);
            if (const Equations then(samples, next, split); then.cost <= now.cost) {
                settled = now.cost - then.cost < 1e-5 * now.cost;
                p = next;
                now = then;
                damping = std::max(1e-9, damping / 5);
                break;
            }
            damping *= 6;
            settled = attempt == 7;
        }
    }
    // One pass without what does not belong to the star: neighbours and hits.
    const double scatter = std::max(sigma, std::sqrt(now.cost / static_cast<double>(samples.size())));
    Moffat m = unpack(p);
    const auto before = samples.size();
    std::erase_if(samples, [&](const Sample& s) {
        const double model = m.amplitude * m.shape(s.x - m.x, s.y - m.y, split);
        return std::abs(s.value - m.base - model) > 5 * scatter + 0.1 * model;
    });
    if (samples.size() != before && samples.size() > before * 7 / 10) {
        now = Equations(samples, p, split);
        for (int round = 0; round < 12; ++round) {
            Vector next = p + now.step(1e-4);
            if (!next.allFinite()) break;
            keepSane(next);
            const Equations then(samples, next, split);
            if (then.cost > now.cost) break;
            const bool still = now.cost - then.cost < 1e-7 * now.cost;
            p = next;
            now = then;
            if (still) break;
        }
        m = unpack(p);
    }
    if (!(m.amplitude > 5 * sigma) || length(m.x, m.y) > 2 * size + 1 || m.fwhm() > 2.0 * reach || m.fwhm() < 0.7) return std::nullopt;
    m.x += star.x;
    m.y += star.y;
    m.base += star.level;
    return m;
}

} // namespace caelumen
