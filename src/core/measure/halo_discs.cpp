#include "core/measure/halo_discs.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <optional>

namespace caelumen {
namespace {

constexpr std::size_t kMostDiscs = 4;
constexpr double kDetected = 5, kEdgeSeen = 2.5, kKept = 4.5;

class DiscSearch {
public:
    DiscSearch(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, std::size_t first, double blur, double hole)
        : m_blur(std::max(blur, 1e-6)), m_hole(hole) {
        for (std::size_t i = first; i < radius.size(); ++i) {
            if (!(sigma[i] > 0)) continue;
            m_radius.push_back(radius[i]);
            m_value.push_back(value[i]);
            // The scatter of sixteen sectors is a poor witness alone: with its neighbours, an error per pixel.
            double sum = 0;
            int n = 0;
            for (std::size_t k = i < 6 ? 0 : i - 6; k < std::min(radius.size(), i + 7); ++k) {
                if (!(sigma[k] > 0) || k < first) continue;
                sum += sigma[k] * sigma[k] * radius[k];
                ++n;
            }
            m_weight.push_back(radius[i] / (sum / n));
        }
    }

    std::vector<HaloDisc> run() {
        std::vector<HaloDisc> found;
        if (m_radius.size() < 14) return found;
        std::vector<double> radii;
        while (radii.size() < kMostDiscs) {
            const auto next = best(radii);
            if (!next) break;
            radii.push_back(*next);
            for (int round = 0; round < 2; ++round)
                for (double& r : radii) settle(radii, r);
        }
        if (radii.empty()) return found;
        std::sort(radii.begin(), radii.end());
        sharpen(radii);
        const Fit fit = solveAll(radii);
        const double structure = structureAround(radii);
        for (std::size_t k = 0; k < radii.size(); ++k) {
            const auto at = static_cast<Eigen::Index>(kSmooth + k);
            HaloDisc d;
            d.radius = radii[k];
            d.height = fit.value[at];
            d.heightSigma = std::sqrt(fit.covariance(at, at)) * fit.inflation * structure;
            d.significance = d.height / d.heightSigma;
            d.radiusSigma = radiusError(radii, k, fit) * std::sqrt(structure);
            if (d.significance > kKept) found.push_back(d);
        }
        return found;
    }

private:
    static constexpr std::size_t kSmooth = 3;
    struct Fit {
        Eigen::VectorXd value;
        Eigen::MatrixXd covariance;
        double chi = 0, inflation = 1;
    };

    double disc(double r, double edge) const {
        const auto step = [&](double at) { return 0.5 * std::erfc((r - at) / (std::sqrt(2.0) * m_blur)); };
        return step(edge) - (m_hole > 0 ? step(m_hole * edge) : 0);
    }

    /// Rings from..to with smooth light and discs of these radii; `wings` false: a straight line instead of the wings.
    Fit solve(std::size_t from, std::size_t to, const std::vector<double>& radii, bool wings) const {
        const auto m = static_cast<Eigen::Index>(kSmooth + radii.size());
        Eigen::MatrixXd a = Eigen::MatrixXd::Zero(m, m);
        Eigen::VectorXd g = Eigen::VectorXd::Zero(m), b(m);
        const double perSquare = 1 / (m_radius[to - 1] * m_radius[to - 1]);
        double square = 0;
        for (std::size_t i = from; i < to; ++i) {
            const double t = wings ? m_radius.front() / m_radius[i] : (m_radius[i] - m_radius[from]) / (m_radius[to - 1] - m_radius[from]);
            b[0] = 1;
            b[1] = wings ? t * t * t : t;
            b[2] = wings ? m_radius[i] * m_radius[i] * perSquare : 0;
            for (std::size_t k = 0; k < radii.size(); ++k) b[static_cast<Eigen::Index>(kSmooth + k)] = disc(m_radius[i], radii[k]);
            a.noalias() += m_weight[i] * b * b.transpose();
            g.noalias() += m_weight[i] * m_value[i] * b;
            square += m_weight[i] * m_value[i] * m_value[i];
        }
        a.diagonal().array() += 1e-10 * a.diagonal().maxCoeff();
        if (!wings) a(2, 2) = a.diagonal().maxCoeff();
        Fit f;
        f.covariance = a.inverse();
        f.value = f.covariance * g;
        f.chi = std::max(0.0, square - f.value.dot(g));
        f.inflation = std::max(1.0, std::sqrt(f.chi / std::max(1.0, static_cast<double>(to - from) - static_cast<double>(m))));
        return f;
    }

    /// Rings as far out as the largest disc needs sky around it: farther out nebula has time to bend.
    std::size_t reachFor(const std::vector<double>& radii) const {
        const double largest = *std::max_element(radii.begin(), radii.end()), pitch = m_radius[1] - m_radius[0];
        const double until = std::max(2.2 * largest, largest + 25 * pitch);
        return std::max<std::size_t>(14, static_cast<std::size_t>(std::upper_bound(m_radius.begin(), m_radius.end(), until) - m_radius.begin()));
    }
    Fit solveAll(const std::vector<double>& radii) const { return solve(0, std::min(reachFor(radii), m_radius.size()), radii, true); }

    /// How large discs seem, in their errors, at radii where none was found: above one where nebula makes shapes of its own.
    double structureAround(const std::vector<double>& known) const {
        std::vector<double> radii = known;
        radii.push_back(0);
        const std::size_t reach = std::min(reachFor(known), m_radius.size());
        double squares = 0;
        int n = 0;
        for (std::size_t i = 4; i < reach * 9 / 10; i += 2) {
            radii.back() = m_radius[i];
            if (std::any_of(known.begin(), known.end(), [&](double k) { return std::abs(k - radii.back()) < 4 * m_blur + 0.15 * k; })) continue;
            squares += std::pow(significanceOf(radii, 0, reach, true), 2);
            ++n;
        }
        return n < 5 ? 1 : std::max(1.0, std::sqrt(squares / n));
    }

    double significanceOf(const std::vector<double>& radii, std::size_t from, std::size_t to, bool wings) const {
        const Fit f = solve(from, to, radii, wings);
        const auto last = static_cast<Eigen::Index>(kSmooth + radii.size() - 1);
        const double sigma = std::sqrt(f.covariance(last, last)) * f.inflation;
        return sigma > 0 && std::isfinite(sigma) ? f.value[last] / sigma : 0;
    }

    /// The radius of the disc that stands out most beside those known, when it does by its edge as well.
    std::optional<double> best(const std::vector<double>& known) const {
        std::vector<std::pair<double, double>> candidates; // significance, radius
        std::vector<double> radii = known;
        radii.push_back(0);
        const double pitch = m_radius[1] - m_radius[0];
        for (std::size_t i = 4; i < m_radius.size() * 9 / 10; ++i) {
            radii.back() = m_radius[i] + 0.5 * pitch;
            if (std::any_of(known.begin(), known.end(), [&](double k) { return std::abs(k - radii.back()) < 3 * m_blur + 2 * pitch + 0.05 * k; })) continue;
            if (const double s = significanceOf(radii, 0, std::min(reachFor(radii), m_radius.size()), true); s > kDetected) candidates.emplace_back(s, radii.back());
        }
        std::sort(candidates.begin(), candidates.end(), std::greater<>());
        for (std::size_t k = 0; k < std::min<std::size_t>(candidates.size(), 12); ++k)
            if (edgeSeen(known, candidates[k].second)) return candidates[k].second;
        return std::nullopt;
    }

    /// Near the edge alone, over a straight slope: what bends gently has none.
    bool edgeSeen(const std::vector<double>& known, double radius) const {
        const double reach = std::max(8.0 * (m_radius[1] - m_radius[0]) + 2 * m_blur, 0.45 * radius);
        const auto from = static_cast<std::size_t>(std::lower_bound(m_radius.begin(), m_radius.end(), radius - reach) - m_radius.begin());
        const auto to = static_cast<std::size_t>(std::upper_bound(m_radius.begin(), m_radius.end(), radius + reach) - m_radius.begin());
        if (to < from + 10) return false;
        std::vector<double> radii;
        for (const double k : known)
            if (k > m_radius[from] && k < m_radius[to - 1]) radii.push_back(k);
        radii.push_back(radius);
        return significanceOf(radii, from, to, false) > kEdgeSeen;
    }

    /// Moves one radius to where the whole fit is best, within two rings.
    void settle(std::vector<double>& radii, double& radius) const {
        const double start = radius, pitch = m_radius[1] - m_radius[0];
        const std::size_t reach = std::min(reachFor(radii), m_radius.size());
        double at = start, least = solve(0, reach, radii, true).chi;
        for (const double step : {0.5, 0.125}) {
            const double middle = at;
            for (int k = -4; k <= 4; ++k) {
                radius = middle + k * step * pitch;
                if (const double chi = solve(0, reach, radii, true).chi; chi < least) {
                    least = chi;
                    at = radius;
                }
            }
        }
        radius = at;
    }

    /// Edges may be softer or harder than the star image: a ghost out of focus need not follow the seeing of a long stack. Takes the softness that fits best.
    void sharpen(std::vector<double>& radii) {
        const double start = m_blur;
        double best = start, least = solveAll(radii).chi;
        const std::vector<double> before = radii;
        std::vector<double> settled = radii;
        for (const double factor : {0.2, 0.4, 0.7, 1.4}) {
            m_blur = factor * start;
            radii = before;
            for (double& r : radii) settle(radii, r);
            if (const double chi = solveAll(radii).chi; chi < least) {
                least = chi;
                best = m_blur;
                settled = radii;
            }
        }
        m_blur = best;
        radii = settled;
    }

    /// Where the misfit has grown by one.
    double radiusError(std::vector<double> radii, std::size_t k, const Fit& fit) const {
        const double pitch = m_radius[1] - m_radius[0], middle = radii[k];
        const std::size_t reach = std::min(reachFor(radii), m_radius.size());
        const double enough = fit.inflation * fit.inflation;
        for (double d = 0.1, before = 0, closer = 0; d < 40; closer = d, d *= 1.25) {
            double grown = 0;
            for (const double sign : {-1.0, 1.0}) {
                radii[k] = middle + sign * d * pitch;
                grown += 0.5 * (solve(0, reach, radii, true).chi - fit.chi);
            }
            if (grown > enough) return (closer + (d - closer) * (enough - before) / (grown - before)) * pitch;
            before = grown;
        }
        return 40 * pitch;
    }

    double m_blur, m_hole;
    std::vector<double> m_radius, m_value, m_weight;
};

} // namespace

std::vector<HaloDisc> findHaloDiscs(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, std::size_t first, double blur, double hole) {
    return DiscSearch(radius, value, sigma, first, blur, hole).run();
}

} // namespace caelumen
