#include "core/stars/moffat.h"

#include "core/base/linear_algebra.h"
#include "core/base/number_rows.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace caelumen {
namespace {

constexpr int kParameters = 8; // amplitude, x, y, base, log-ish shape (3), 1/beta
using Vector = Column<kParameters>;
using Matrix = SquareMatrix<kParameters>;

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

/// The pixels around a star, and room for what is computed of each: a row of its own for every quantity.
class Samples {
public:
    void add(double x, double y, double value) {
        m_x.push_back(x);
        m_y.push_back(y);
        m_value.push_back(value);
    }
    std::size_t size() const { return m_x.size(); }
    /// Leaves out those that are not worth keeping.
    template<class Keep>
    void keep(Keep worth) {
        std::size_t kept = 0;
        for (std::size_t i = 0; i < size(); ++i)
            if (worth(m_x[i], m_y[i], m_value[i])) m_x[kept] = m_x[i], m_y[kept] = m_y[i], m_value[kept] = m_value[i], ++kept;
        m_x.resize(kept), m_y.resize(kept), m_value.resize(kept);
    }

    const std::vector<double>& values() const { return m_value; }
    /// Derivatives of the model by each parameter into `rows`; the value of the profile is the one by the amplitude. Pixels are the mean of two sites at
    /// +-split.
    void derive(const Moffat& m, const Vector& p, Point split, std::array<std::vector<double>, kParameters>& rows) const {
        for (auto& row : rows) row.resize(size());
        deriveAt(m, p, split, rows);
        if (split.x == 0 && split.y == 0) return;
        thread_local std::array<std::vector<double>, kParameters> other;
        for (auto& row : other) row.resize(size());
        deriveAt(m, p, {-split.x, -split.y}, other);
        for (std::size_t k = 0; k < kParameters; ++k)
            for (std::size_t i = 0; i < size(); ++i) rows[k][i] = 0.5 * (rows[k][i] + other[k][i]);
    }

private:
    void deriveAt(const Moffat& m, const Vector& p, Point shift, std::array<std::vector<double>, kParameters>& d) const {
        const double beta = m.beta, a = p[4], b = p[5], c = p[6], amplitude = m.amplitude, x0 = m.x - shift.x, y0 = m.y - shift.y;
        const std::size_t n = size();
        const double *x = m_x.data(), *y = m_y.data();
        double *value = d[0].data(), *dx0 = d[1].data(), *dy0 = d[2].data(), *base = d[3].data(), *da = d[4].data(), *db = d[5].data(), *dc = d[6].data(),
               *log = d[7].data();
        for (std::size_t i = 0; i < n; ++i) {
            const double dx = x[i] - x0, dy = y[i] - y0, u = a * dx + b * dy, v = c * dy;
            base[i] = 1 + u * u + v * v;
        }
        rows::logarithms(base, static_cast<int>(n), log);
        for (std::size_t i = 0; i < n; ++i) value[i] = -beta * log[i];
        rows::exponentials(value, static_cast<int>(n), value);
        for (std::size_t i = 0; i < n; ++i) {
            const double dx = x[i] - x0, dy = y[i] - y0, u = a * dx + b * dy, v = c * dy;
            const double slope = -2 * amplitude * beta * value[i] / base[i]; // twice d/dq
            dx0[i] = -slope * u * a;
            dy0[i] = -slope * (u * b + v * c);
            base[i] = 1;
            da[i] = slope * u * dx;
            db[i] = slope * u * dy;
            dc[i] = slope * v * dy;
            log[i] *= amplitude * value[i] * beta * beta;
        }
    }
    std::vector<double> m_x, m_y, m_value; ///< from the star's place, above its level
};

/// Sum of squares at a point, with the equations of the step from there: a point is worth them, since nearly every one that is tried is stepped from.
struct Equations {
    double cost = 0;
    Matrix a;
    Vector g;

    Equations(const Samples& samples, const Vector& p, Point split) {
        const Moffat m = unpack(p);
        thread_local std::array<std::vector<double>, kParameters> d;
        thread_local std::vector<double> left;
        samples.derive(m, p, split, d);
        left.resize(samples.size());
        for (std::size_t i = 0; i < left.size(); ++i) left[i] = samples.values()[i] - (m.base + m.amplitude * d[0][i]);
        const auto product = [&](const std::vector<double>& v, const std::vector<double>& w) {
            return rows::dot(v.data(), w.data(), static_cast<int>(v.size()));
        };
        cost = product(left, left);
        for (int k = 0; k < kParameters; ++k) {
            const auto& row = d[static_cast<std::size_t>(k)];
            g[k] = product(row, left);
            for (int n = 0; n <= k; ++n) a(k, n) = a(n, k) = product(row, d[static_cast<std::size_t>(n)]);
        }
    }
    Vector step(double damping) const {
        Matrix damped = a;
        damped.diagonal() += damping * a.diagonal();
        return solveNormal(damped, g);
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
    Samples samples;
    for (int y = cy - reach; y <= cy + reach; ++y) {
        for (int x = cx - reach; x <= cx + reach; ++x) {
            const double dx = x - star.x, dy = y - star.y;
            const float v = plane.at(x, y);
            if (dx * dx + dy * dy > reach * reach || !std::isfinite(v)) continue;
            samples.add(dx, dy, static_cast<double>(v) - star.level);
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
    samples.keep([&](double x, double y, double value) {
        const double model = m.amplitude * m.shape(x - m.x, y - m.y, split);
        return std::abs(value - m.base - model) <= 5 * scatter + 0.1 * model;
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
