#include "core/stars/scaled_star.h"

#include "core/base/linear_algebra.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

std::optional<ScaledStar> scalePsf(const Plane& plane, const Psf& psf, Point guess, double radius, double saturation, const PatchMask& mask) {
    struct Used {
        double x, y, value;
    };
    std::vector<Used> used;
    const int reach = static_cast<int>(std::ceil(radius));
    const int cx = static_cast<int>(std::lround(guess.x)), cy = static_cast<int>(std::lround(guess.y));
    for (int y = std::max(0, cy - reach); y <= std::min(plane.height() - 1, cy + reach); ++y) {
        for (int x = std::max(0, cx - reach); x <= std::min(plane.width() - 1, cx + reach); ++x) {
            if (length(x - guess.x, y - guess.y) > radius) continue;
            if (mask.hidden(x, y)) continue;
            // Beside a saturated pixel light has spilled over or been interpolated: leave its neighbours out as well.
            bool clean = std::isfinite(plane.at(x, y));
            for (int b = std::max(0, y - 1); clean && b <= std::min(plane.height() - 1, y + 1); ++b)
                for (int a = std::max(0, x - 1); clean && a <= std::min(plane.width() - 1, x + 1); ++a)
                    clean = !(static_cast<double>(plane.at(a, b)) >= saturation);
            if (clean) used.push_back({static_cast<double>(x), static_cast<double>(y), static_cast<double>(plane.at(x, y))});
        }
    }
    if (used.size() < 12) return std::nullopt;

    // Gauss-Newton on flux, base and centre; pixels weigh by an error that grows with the light in them, so that neither the
    // few brightest decide alone nor the many faint ones.
    ScaledStar out;
    out.centre = guess;
    out.pixels = used.size();
    Eigen::Matrix4d a;
    Eigen::Vector4d g;
    double flux = 0, base = 0;
    for (int round = 0; round < 15; ++round) {
        a.setZero();
        g.setZero();
        double chi = 0, weights = 0;
        for (const Used& u : used) {
            const double dx = u.x - out.centre.x, dy = u.y - out.centre.y;
            const double q = 1 + psf.unit.cxx * dx * dx + 2 * psf.unit.cxy * dx * dy + psf.unit.cyy * dy * dy;
            const double shape = psf.light(dx, dy);
            const double slope = 2 * psf.unit.beta * shape / q * flux; // the direction in which the centre moves it: the core's is near enough
            const Eigen::Vector4d d(shape, 1, slope * (psf.unit.cxx * dx + psf.unit.cxy * dy), slope * (psf.unit.cxy * dx + psf.unit.cyy * dy));
            const double weight = 1 / (1e-12 + std::abs(shape) + psf.unit.amplitude * 1e-3);
            const double r = u.value - base - flux * shape;
            a.noalias() += weight * d * d.transpose();
            g.noalias() += weight * d * r;
            chi += weight * r * r;
            weights += 1;
        }
        if (round == 0) { // no flux yet, so no centre either
            a(2, 2) = a(3, 3) = 1;
        }
        const Eigen::Vector4d step = solveNormal(a, g);
        if (!step.allFinite()) return std::nullopt;
        flux += step[0];
        base += step[1];
        out.centre.x += std::clamp(step[2], -1.0, 1.0);
        out.centre.y += std::clamp(step[3], -1.0, 1.0);
        if (length(out.centre.x - guess.x, out.centre.y - guess.y) > radius / 2) return std::nullopt;
        out.sigma = std::sqrt(std::max(0.0, inverted(a)(0, 0) * chi / std::max(1.0, weights - 4)));
        if (round > 2 && std::abs(step[0]) < 1e-6 * std::abs(flux)) break;
    }
    if (!(flux > 0)) return std::nullopt;
    out.flux = flux;
    return out;
}

} // namespace caelumen
