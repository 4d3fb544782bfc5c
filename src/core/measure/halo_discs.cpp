#include "core/measure/halo_discs.h"

#include "core/image/plane.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace caelumen {
namespace {

constexpr std::size_t kMostDiscs = 4;
constexpr double kDetected = 5, kEdgeSeen = 2.5, kKept = 4.5;
constexpr double kFine = 40;                    ///< rings; farther out every second one is tried, and settles later
constexpr double kSoftest = 0.1;                ///< of the radius
constexpr double kAsMuch = 0.8, kOfEdge = 0.12; ///< haze ends nowhere, however bright it is
constexpr double kVerySoft = 25;                ///< by which an edge softer than the star image has to better it
constexpr double kHoleSeen = 9;                 ///< by which a hole has to better the fit

struct Shape {
    double radius = 0, hole = 0;
    double doubt = 0; ///< how far off lies another edge that would do about as well
};

class DiscSearch {
public:
    DiscSearch(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, const HaloSearch& search)
        : m_blur(std::max(search.blur, 1e-6))
        , m_hole(search.hole)
        , m_limitRadius(search.limitRadius) {
        for (std::size_t i = search.first; i < radius.size(); ++i) {
            if (!(sigma[i] > 0)) continue;
            m_radius.push_back(radius[i]);
            m_value.push_back(value[i]);
            // The scatter of sixteen sectors is a poor witness alone: with its neighbours, an error per pixel.
            double sum = 0;
            int n = 0;
            for (std::size_t k = i < 6 ? 0 : i - 6; k < std::min(radius.size(), i + 7); ++k) {
                if (!(sigma[k] > 0) || k < search.first) continue;
                sum += sigma[k] * sigma[k] * radius[k];
                ++n;
            }
            m_weight.push_back(radius[i] / (sum / n));
        }
    }

    HaloFound run() {
        HaloFound found;
        if (m_radius.size() < 14) return found;
        m_pitch = m_radius[1] - m_radius[0];
        addUp();
        std::vector<Shape> shapes;
        while (shapes.size() < kMostDiscs) {
            const auto next = best(shapes, found);
            if (!next) break;
            shapes.push_back(*next);
            chooseHole(shapes, shapes.back());
            for (int round = 0; round < 2; ++round)
                for (Shape& s : shapes) settle(shapes, s);
        }
        found.blur = m_blur;
        if (shapes.empty()) {
            if (m_limitRadius > 0) limit(found);
            return found;
        }
        std::sort(shapes.begin(), shapes.end(), [](const Shape& a, const Shape& b) { return a.radius < b.radius; });
        sharpen(shapes);
        found.blur = m_blur;
        for (Shape& s : shapes) plainHole(shapes, s);
        const Fit fit = solveAll(shapes);
        if (isStaircase(shapes)) {
            found.unexplained = fit.value[kSmooth];
            found.unexplainedSigma = std::sqrt(fit.covariance(kSmooth, kSmooth)) * fit.inflation;
            found.unexplainedRadius = shapes.front().radius;
            return found;
        }
        for (std::size_t k = 0; k < shapes.size(); ++k) {
            const double structure = structureAround(shapes, reachFor(shapes), shapes[k].hole);
            found.structure = std::max(found.structure, structure);
            HaloDisc d = described(shapes, k, fit, structure);
            if (d.significance > kKept) {
                found.discs.push_back(d);
            } else if (d.height > found.unexplained) {
                found.unexplained = d.height;
                found.unexplainedSigma = d.heightSigma;
                found.unexplainedRadius = d.radius;
            }
        }
        return found;
    }

private:
    static constexpr std::size_t kSmooth = 3;
    static constexpr double kMostHole = 0.97;
    static constexpr int kMost = static_cast<int>(kSmooth + kMostDiscs + 1);
    using Vector = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, kMost, 1>; // on the stack: there are thousands of fits
    using Matrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, kMost, kMost>;
    struct Fit {
        Vector value;
        Matrix covariance;
        double chi = 0, inflation = 1;
    };

    /// Sums over the first rings: of weights, of what they weigh, and of the products of the smooth light near a star (1, the fall of wings, the square of the
    /// radius), so that a fit need not add them up again.
    struct Smooth {
        double ww = 0, wf = 0, ws = 0, ff = 0, fs = 0, ss = 0, vw = 0, vf = 0, vs = 0, vv = 0;
    };
    void addUp() {
        m_smooth.assign(m_radius.size() + 1, {});
        m_fall.clear();
        for (std::size_t i = 0; i < m_radius.size(); ++i) {
            const double t = m_radius.front() / m_radius[i], f = t * t * t, s = m_radius[i] * m_radius[i], w = m_weight[i], v = m_value[i];
            m_fall.push_back(f);
            Smooth& to = m_smooth[i + 1] = m_smooth[i];
            to.ww += w, to.wf += w * f, to.ws += w * s, to.ff += w * f * f, to.fs += w * f * s, to.ss += w * s * s;
            to.vw += w * v, to.vf += w * v * f, to.vs += w * v * s, to.vv += w * v * v;
        }
    }

    /// The rings that a disc lights, from `first` on.
    struct Lit {
        Shape shape;
        double blur = -1;
        std::size_t from = 0, to = 0; ///< of which rings it was asked
        std::size_t first = 0, end = 0;
        std::vector<double> light; ///< of every ring; only those from first to end are true
    };
    void light(const Shape& s, std::size_t from, std::size_t to, Lit& out) const {
        if (out.blur == m_blur && out.from == from && out.to == to && out.shape.radius == s.radius && out.shape.hole == s.hole) return; // most shapes stay
        out.shape = s, out.blur = m_blur, out.from = from, out.to = to;
        const double soft = 4 * M_SQRT2 * m_blur, inner = s.hole > 0 ? s.hole * s.radius - soft : 0;
        const auto ring = [&](double r) {
            return static_cast<std::size_t>(
                std::lower_bound(m_radius.begin() + static_cast<std::ptrdiff_t>(from), m_radius.begin() + static_cast<std::ptrdiff_t>(to), r) -
                m_radius.begin());
        };
        out.light.resize(m_radius.size());
        out.first = ring(inner);
        out.end = std::max(out.first, ring(s.radius + soft));
        const std::size_t even = std::max(out.first, ring(s.hole * s.radius + soft + m_pitch)), ends = std::max(even, ring(s.radius - soft - m_pitch));
        for (std::size_t i = out.first; i < even; ++i) out.light[i] = discLight(m_radius[i], s.radius, s.hole, m_blur);
        std::fill(out.light.begin() + static_cast<std::ptrdiff_t>(even), out.light.begin() + static_cast<std::ptrdiff_t>(ends), 1.0); // far from either edge
        for (std::size_t i = ends; i < out.end; ++i) out.light[i] = discLight(m_radius[i], s.radius, s.hole, m_blur);
    }

    /// Rings from..to with smooth light and discs of these shapes; `wings` false: a straight line instead of the wings.
    Fit solve(std::size_t from, std::size_t to, const std::vector<Shape>& shapes, bool wings) const {
        const auto m = static_cast<Eigen::Index>(kSmooth + shapes.size());
        Matrix a = Matrix::Zero(m, m);
        Vector g = Vector::Zero(m);
        const double perSquare = 1 / (m_radius[to - 1] * m_radius[to - 1]), perLength = 1 / (m_radius[to - 1] - m_radius[from]);
        double square = 0;
        if (wings) {
            const Smooth& s = m_smooth[to];
            a(0, 0) = s.ww, a(0, 1) = s.wf, a(0, 2) = s.ws * perSquare, a(1, 1) = s.ff, a(1, 2) = s.fs * perSquare, a(2, 2) = s.ss * perSquare * perSquare;
            g[0] = s.vw, g[1] = s.vf, g[2] = s.vs * perSquare;
            square = s.vv;
        } else {
            for (std::size_t i = from; i < to; ++i) {
                const double t = (m_radius[i] - m_radius[from]) * perLength, w = m_weight[i], v = m_value[i];
                a(0, 0) += w, a(0, 1) += w * t, a(1, 1) += w * t * t;
                g[0] += w * v, g[1] += w * v * t;
                square += w * v * v;
            }
        }
        for (std::size_t k = 0; k < shapes.size(); ++k) {
            const auto at = static_cast<Eigen::Index>(kSmooth + k);
            Lit& disc = m_lit[k];
            light(shapes[k], from, to, disc);
            double one = 0, slope = 0, bend = 0, value = 0, own = 0;
            for (std::size_t i = disc.first; i < disc.end; ++i) {
                const double weighted = m_weight[i] * disc.light[i];
                one += weighted;
                slope += weighted * (wings ? m_fall[i] : (m_radius[i] - m_radius[from]) * perLength);
                bend += weighted * m_radius[i] * m_radius[i];
                value += weighted * m_value[i];
                own += weighted * disc.light[i];
            }
            a(0, at) = one, a(1, at) = slope, a(2, at) = wings ? bend * perSquare : 0, a(at, at) = own;
            g[at] = value;
            for (std::size_t n = 0; n < k; ++n) {
                const Lit& other = m_lit[n];
                double both = 0;
                for (std::size_t i = std::max(disc.first, other.first); i < std::min(disc.end, other.end); ++i)
                    both += m_weight[i] * disc.light[i] * other.light[i];
                a(static_cast<Eigen::Index>(kSmooth + n), at) = both;
            }
        }
        a.triangularView<Eigen::StrictlyLower>() = a.transpose();
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
    std::size_t reachFor(const std::vector<Shape>& shapes) const {
        double largest = 0;
        for (const Shape& s : shapes) largest = std::max(largest, s.radius);
        const double until = std::max(2.2 * largest, largest + 25 * m_pitch);
        const auto rings = static_cast<std::size_t>(std::upper_bound(m_radius.begin(), m_radius.end(), until) - m_radius.begin());
        return std::min(std::max<std::size_t>(14, rings), m_radius.size());
    }
    Fit solveAll(const std::vector<Shape>& shapes) const { return solve(0, reachFor(shapes), shapes, true); }
    double chiOf(const std::vector<Shape>& shapes, std::size_t reach) const { return solve(0, reach, shapes, true).chi; }

    /// How large discs seem, in their errors, at radii where none was found: above one where nebula makes shapes of its own.
    double structureAround(const std::vector<Shape>& known, std::size_t reach, double hole) const {
        std::vector<Shape> shapes = known;
        shapes.push_back({0, hole, 0});
        double squares = 0;
        int n = 0;
        for (std::size_t i = 4; i < reach * 9 / 10; i += 2) {
            shapes.back().radius = m_radius[i];
            if (std::any_of(known.begin(), known.end(), [&](const Shape& k) { return std::abs(k.radius - m_radius[i]) < 4 * m_blur + 0.15 * k.radius; }))
                continue;
            squares += std::pow(significanceOf(shapes, 0, reach, true), 2);
            ++n;
        }
        return n < 5 ? 1 : std::max(1.0, std::sqrt(squares / n));
    }

    double significanceOf(const std::vector<Shape>& shapes, std::size_t from, std::size_t to, bool wings, double* height = nullptr) const {
        const Fit f = solve(from, to, shapes, wings);
        const auto last = static_cast<Eigen::Index>(kSmooth + shapes.size() - 1);
        const double sigma = std::sqrt(f.covariance(last, last)) * f.inflation;
        if (height) *height = f.value[last];
        return sigma > 0 && std::isfinite(sigma) ? f.value[last] / sigma : 0;
    }

    /// The holes worth trying at a radius: none is told from one that the star hides, and a ring is a pixel wide at least.
    std::vector<double> holesAt(double radius) const {
        std::vector<double> out{m_hole};
        if (m_hole * radius > m_radius.front()) out.push_back(0);
        for (const double hole : {0.3, 0.45, 0.6, 0.72, 0.82, 0.9, 0.95})
            if (hole * radius > m_radius.front() && (1 - hole) * radius >= 0.8 * m_pitch) out.push_back(hole);
        return out;
    }

    /// The shape that stands out most beside those known, when it does by its outer edge as well; what stands out without one is left in `found`.
    std::optional<Shape> best(const std::vector<Shape>& known, HaloFound& found) const {
        struct Candidate {
            double significance, height;
            Shape shape;
        };
        std::vector<Candidate> candidates;
        std::vector<Shape> shapes = known;
        shapes.emplace_back();
        for (std::size_t i = 4; i<m_radius.size() * 3 / 4; i += m_radius[i]> kFine * m_pitch ? 2 : 1) { // there must be sky around it
            const double radius = m_radius[i] + 0.5 * m_pitch;
            if (std::any_of(known.begin(), known.end(),
                            [&](const Shape& k) { return std::abs(k.radius - radius) < 3 * m_blur + 2 * m_pitch + 0.05 * k.radius; }))
                continue;
            for (const double hole : holesAt(radius)) {
                shapes.back() = {radius, hole, 0};
                double height = 0;
                if (const double s = significanceOf(shapes, 0, reachFor(shapes), true, &height); s > kDetected)
                    candidates.push_back({s, height, shapes.back()});
            }
        }
        std::sort(candidates.begin(), candidates.end(), [](const Candidate& a, const Candidate& b) { return a.significance > b.significance; });
        // Of those that stand out about as much, the one with the clearest edge: nebula bends, ghosts end.
        std::vector<std::pair<const Candidate*, double>> edged;
        const Candidate* clearest = nullptr;
        double edge = kEdgeSeen;
        for (std::size_t k = 0; k < std::min<std::size_t>(candidates.size(), 120); ++k) {
            if (clearest && candidates[k].significance < kAsMuch * candidates[0].significance) break;
            const double seen = edgeOf(known, candidates[k].shape);
            if (seen > std::max(kEdgeSeen, kOfEdge * candidates[k].significance)) edged.emplace_back(&candidates[k], seen);
            if (!edged.empty() && edged.back().first == &candidates[k] && seen > edge) clearest = &candidates[k], edge = seen;
        }
        if (clearest) {
            Shape out = clearest->shape;
            for (const auto& [other, seen] : edged) {
                const double away = std::abs(other->shape.radius - out.radius);
                if (seen > kAsMuch * edge && away > std::max(4 * m_pitch + 2 * m_blur, 0.06 * out.radius)) out.doubt = std::max(out.doubt, 0.5 * away);
            }
            return out;
        }
        if (!candidates.empty()) {
            found.unexplained = candidates.front().height;
            found.unexplainedSigma = candidates.front().height / candidates.front().significance;
            found.unexplainedRadius = candidates.front().shape.radius;
        }
        return std::nullopt;
    }

    /// Three and more discs without holes, one in another: steps that a search for discs makes of light that falls smoothly, as haze does.
    bool isStaircase(const std::vector<Shape>& shapes) const {
        return std::count_if(shapes.begin(), shapes.end(),
                             [&](const Shape& s) { return s.hole == 0 || s.hole == m_hole || s.hole * s.radius < 1.3 * m_radius.front(); }) >= 3;
    }

    /// Near the edge alone, over a straight slope: what bends gently has none.
    double edgeOf(const std::vector<Shape>& known, const Shape& shape) const {
        const double reach = std::max(8.0 * m_pitch + 2 * m_blur, 0.45 * shape.radius);
        const auto from = static_cast<std::size_t>(std::lower_bound(m_radius.begin(), m_radius.end(), shape.radius - reach) - m_radius.begin());
        const auto to = static_cast<std::size_t>(std::upper_bound(m_radius.begin(), m_radius.end(), shape.radius + reach) - m_radius.begin());
        if (to < from + 10) return 0;
        std::vector<Shape> shapes;
        for (const Shape& k : known)
            if ((k.radius > m_radius[from] && k.radius < m_radius[to - 1]) || (k.hole * k.radius > m_radius[from] && k.hole * k.radius < m_radius[to - 1]))
                shapes.push_back(k);
        shapes.push_back(shape);
        return significanceOf(shapes, from, to, false);
    }

    /// The hole that fits best at a radius: from afar none of the others is found by small steps.
    void chooseHole(const std::vector<Shape>& shapes, Shape& shape) const {
        const std::size_t reach = reachFor(shapes);
        double least = chiOf(shapes, reach), best = shape.hole;
        for (const double hole : holesAt(shape.radius)) {
            shape.hole = hole;
            if (const double chi = chiOf(shapes, reach); chi < least) least = chi, best = hole;
        }
        shape.hole = best;
    }

    /// Moves one shape to where the whole fit is best: its edge within two rings of where it was, its hole freely.
    void settle(std::vector<Shape>& shapes, Shape& shape) const {
        const std::size_t reach = reachFor(shapes);
        double least = chiOf(shapes, reach);
        const auto along = [&](double Shape::*what, double step, double low, double high) {
            const Shape middle = shape;
            Shape at = middle;
            for (int k = -4; k <= 4; ++k) {
                shape = middle;
                shape.*what = std::clamp(middle.*what + k * step, low, high);
                if (what == &Shape::radius) shape.hole = std::min(kMostHole, middle.hole * middle.radius / shape.radius); // one edge at a time
                if (const double chi = chiOf(shapes, reach); chi < least) {
                    least = chi;
                    at = shape;
                }
            }
            shape = at;
        };
        for (const double fine : {1.0, 1.0, 0.25, 0.25, 0.06}) {
            along(&Shape::radius, 0.5 * fine * m_pitch, 0.5 * m_radius.front(), m_radius.back());
            along(&Shape::hole, std::max(0.06, 0.5 * m_pitch / shape.radius) * fine, 0, kMostHole);
        }
    }

    /// Edges may be softer or harder than the star image: a ghost out of focus need not follow the seeing of a long stack. Takes the softness that fits best.
    void sharpen(std::vector<Shape>& shapes) {
        const double start = m_blur;
        double best = start, least = solveAll(shapes).chi;
        const std::vector<Shape> before = shapes;
        std::vector<Shape> settled = shapes;
        for (const double factor : {0.2, 0.4, 0.7, 1.4, 2.0, 3.0, 4.5}) {
            m_blur = factor * start;
            if (factor > 1.5 && m_blur > kSoftest * before.front().radius) break; // a ghost in focus ends at an edge
            shapes = before;
            for (Shape& s : shapes) settle(shapes, s);
            const Fit fit = solveAll(shapes);
            if (const double chi = fit.chi + (factor > 1.5 ? kVerySoft * fit.inflation * fit.inflation : 0); chi < least) { // nebula makes very soft edges
                least = chi;
                best = m_blur;
                settled = shapes;
            }
        }
        m_blur = best;
        shapes = settled;
    }

    /// A hole that makes no difference is the expected one, or none.
    void plainHole(std::vector<Shape>& shapes, Shape& shape) const {
        const std::size_t reach = reachFor(shapes);
        const Fit now = solve(0, reach, shapes, true);
        const double free = shape.hole, enough = kHoleSeen * now.inflation * now.inflation;
        for (const double hole : {m_hole, 0.0}) {
            const Shape kept = shape;
            shape.hole = hole;
            settleEdge(shapes, shape, reach);
            if (chiOf(shapes, reach) - now.chi < enough) return;
            shape = kept;
        }
        shape.hole = free;
    }
    void settleEdge(std::vector<Shape>& shapes, Shape& shape, std::size_t reach) const {
        const double middle = shape.radius;
        double least = chiOf(shapes, reach), at = middle;
        for (int k = -8; k <= 8; ++k) {
            shape.radius = middle + 0.125 * k * m_pitch;
            if (const double chi = chiOf(shapes, reach); chi < least) least = chi, at = shape.radius;
        }
        shape.radius = at;
    }

    /// The disc that would be seen, where none is.
    void limit(HaloFound& found) const {
        const std::vector<Shape> shapes{{std::clamp(m_limitRadius, m_radius[4], m_radius[m_radius.size() * 9 / 10]), m_hole, 0}};
        const std::size_t reach = reachFor(shapes);
        const Fit f = solve(0, reach, shapes, true);
        found.structure = structureAround({}, reach, m_hole);
        found.limit = f.value[kSmooth];
        found.limitSigma = std::sqrt(f.covariance(kSmooth, kSmooth)) * f.inflation * found.structure;
    }

    HaloDisc described(const std::vector<Shape>& shapes, std::size_t k, const Fit& fit, double structure) const {
        const auto at = static_cast<Eigen::Index>(kSmooth + k);
        const Shape& shape = shapes[k];
        HaloDisc d;
        d.radius = shape.radius;
        d.hole = shape.hole;
        d.height = fit.value[at];
        d.heightSigma = std::sqrt(fit.covariance(at, at)) * fit.inflation * structure;
        d.significance = d.height / d.heightSigma;
        d.radiusSigma = length(errorAlong(shapes, k, &Shape::radius, m_pitch, fit) * structure, shape.doubt);
        d.lightSigma = d.heightSigma / d.height;
        d.holeSeen = shape.hole > 0 && shape.hole != m_hole;
        const double step = m_pitch / shape.radius;
        d.holeSigma = std::min(0.3, errorAlong(shapes, k, &Shape::hole, step, fit) * structure);
        if (d.holeSeen) {
            d.holeMost = std::min(1.0, d.hole + 3 * d.holeSigma);
            // Height and hole go together.
            const auto with = [&](double hole) {
                std::vector<Shape> moved = shapes;
                moved[k].hole = std::clamp(hole, 0.0, kMostHole + 0.02);
                const double height = solveAll(moved).value[at];
                return std::pair{height, height * (1 - moved[k].hole * moved[k].hole)};
            };
            const auto [highA, lightA] = with(d.hole + d.holeSigma);
            const auto [highB, lightB] = with(d.hole - d.holeSigma);
            d.heightSigma = length(d.heightSigma, 0.5 * (highA - highB));
            d.lightSigma = length(d.lightSigma, 0.5 * (lightA - lightB) / std::max(1e-300, d.height * (1 - d.hole * d.hole)));
        } else {
            d.holeMost = mostHole(shapes, k, fit);
            const double hidden = std::max(0.0, d.holeMost * d.holeMost - d.hole * d.hole); // part of its area of which nothing is known
            d.lightSigma = length(d.lightSigma, 0.5 * std::min(1.0, hidden));
        }
        return d;
    }

    /// The largest hole that would not have been noticed at three sigmas.
    double mostHole(std::vector<Shape> shapes, std::size_t k, const Fit& fit) const {
        const std::size_t reach = reachFor(shapes);
        for (double hole = std::max(shapes[k].hole, m_radius.front() / shapes[k].radius); hole < 1; hole += 0.01) {
            shapes[k].hole = hole;
            if (chiOf(shapes, reach) - fit.chi > 9 * fit.inflation * fit.inflation) return hole;
        }
        return 1;
    }

    /// Where the misfit has grown by one.
    double errorAlong(std::vector<Shape> shapes, std::size_t k, double Shape::*what, double unit, const Fit& fit) const {
        const double middle = shapes[k].*what;
        const std::size_t reach = reachFor(shapes);
        const double enough = fit.inflation * fit.inflation;
        for (double d = 0.1, before = 0, closer = 0; d < 40; closer = d, d *= 1.25) {
            double grown = 0;
            for (const double sign : {-1.0, 1.0}) {
                shapes[k].*what = middle + sign * d * unit;
                grown += 0.5 * (chiOf(shapes, reach) - fit.chi);
            }
            if (grown > enough) return (closer + (d - closer) * (enough - before) / (grown - before)) * unit;
            before = grown;
        }
        return 40 * unit;
    }

    double m_blur, m_hole, m_limitRadius, m_pitch = 1;
    std::vector<double> m_radius, m_value, m_weight;
    std::vector<double> m_fall; ///< of wings
    std::vector<Smooth> m_smooth;
    mutable std::array<Lit, kMostDiscs + 1> m_lit; ///< room
};

} // namespace

double discLight(double r, double edge, double hole, double blur) {
    const auto step = [&](double at) {
        const double away = (r - at) / (M_SQRT2 * blur);
        return away > 4 ? 0.0 : away < -4 ? 1.0 : 0.5 * std::erfc(away);
    };
    return step(edge) - (hole > 0 ? step(hole * edge) : 0);
}

HaloFound findHaloDiscs(const std::vector<double>& radius, const std::vector<double>& value, const std::vector<double>& sigma, const HaloSearch& search) {
    return DiscSearch(radius, value, sigma, search).run();
}

} // namespace caelumen
