#include "core/palette/starless.h"

#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"
#include "core/palette/aureole.h"
#include "core/stars/patch_mask.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kLeft = 2;        ///< of a pixel's noise: light that a star has at the edge of its disc; what lies beyond is taken off by the star image
constexpr double kGlaring = 1e5;   ///< noises of light from which on an aureole is looked for
constexpr double kBright = 4000;   ///< noises of light from which on a star's rings are looked for
constexpr int kFarthestRing = 160; ///< pixels

/// Where a star's own light falls at once, from the inside out, by how much.
struct Edge {
    double radius = 0, step = 0;
};

/// The discs and rings that a star throws beyond its own disc, by radius: told by their sharp edges, at which all four quadrants fall (or rise) at once. What
/// changes smoothly is nebula and stays.
std::vector<Edge> ringsOf(const Plane& plane, const Mask& mask, const Star& star, double disc, double noise) {
    constexpr int kHalf = 2, kAround = 8; // pixels on either side of an edge, and those that tell how smooth light runs there
    const int reach = std::min(kFarthestRing, static_cast<int>(6 * disc) + 30), from = static_cast<int>(disc) + 1;
    std::array<std::vector<std::vector<double>>, 4> values;
    for (auto& q : values) q.resize(static_cast<std::size_t>(reach + 1));
    const int cx = static_cast<int>(std::lround(star.x)), cy = static_cast<int>(std::lround(star.y));
    for (int y = std::max(0, cy - reach); y <= std::min(plane.height() - 1, cy + reach); ++y)
        for (int x = std::max(0, cx - reach); x <= std::min(plane.width() - 1, cx + reach); ++x) {
            const double dx = x - star.x, dy = y - star.y, r = std::hypot(dx, dy);
            if (r > reach || r < from || mask.hidden(x, y)) continue;
            const float v = plane.at(x, y);
            if (v != v) continue;
            const std::size_t quadrant = (std::abs(dx) > std::abs(dy) ? 0 : 2) + ((std::abs(dx) > std::abs(dy) ? dx : dy) > 0 ? 1 : 0);
            values[quadrant][static_cast<std::size_t>(r)].push_back(static_cast<double>(v));
        }
    // Medians by quadrant and radius, and the step across each radius beyond what the slope around it makes.
    std::array<std::vector<double>, 4> profile, error;
    for (std::size_t q = 0; q < 4; ++q)
        for (auto& ring : values[q]) {
            error[q].push_back(ring.size() < 4 ? 1e300 : 1.25 * noise / std::sqrt(static_cast<double>(ring.size())));
            profile[q].push_back(ring.size() < 4 ? 0 : median(std::span<double>(ring)));
        }
    std::vector<double> step(static_cast<std::size_t>(reach + 1), 0);
    for (int r = from + kHalf + kAround; r + kHalf + kAround <= reach; ++r) {
        std::array<double, 4> steps{};
        bool known = true;
        double least = 1e300;
        int up = 0, down = 0;
        for (std::size_t q = 0; q < 4 && known; ++q) {
            // Straight lines through the pixels inside and outside, read at the edge.
            const auto meet = [&](int first, double& variance) {
                double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
                for (int k = first; k < first + kAround; ++k) {
                    if (error[q][static_cast<std::size_t>(k)] > 1e200) continue;
                    const double x = k - r, y = profile[q][static_cast<std::size_t>(k)];
                    n += 1, sx += x, sy += y, sxx += x * x, sxy += x * y;
                }
                const double d = n * sxx - sx * sx;
                if (n < kAround / 2.0 || d <= 0) {
                    known = false;
                    return 0.0;
                }
                const double e = error[q][static_cast<std::size_t>(first)];
                variance += (e > 1e200 ? noise * noise : e * e) * sxx / d;
                return (sy * sxx - sx * sxy) / d;
            };
            double variance = 0;
            const double inside = meet(r - kHalf - kAround + 1, variance), outside = meet(r + kHalf, variance);
            if (!known) break;
            steps[q] = inside - outside;
            // Well above chance, and such as an eye would see.
            const double clear = std::max(3.5 * std::sqrt(variance), 0.8 * noise);
            if (steps[q] > clear) ++up;
            if (steps[q] < -clear) ++down;
            least = std::min(least, std::abs(steps[q]));
        }
        if (known && (up == 4 || down == 4)) step[static_cast<std::size_t>(r)] = up == 4 ? least : -least;
    }
    std::vector<Edge> out;
    for (int r = reach - 1; r > 0; --r) {
        const auto at = static_cast<std::size_t>(r);
        // The sharpest place of each edge counts.
        bool sharpest = step[at] != 0;
        for (int k = std::max(0, r - kAround / 2); k <= std::min(reach, r + kAround / 2) && sharpest; ++k) {
            const double other = std::abs(step[static_cast<std::size_t>(k)]);
            sharpest = other < std::abs(step[at]) || (k >= r && other == std::abs(step[at]));
        }
        if (!sharpest) continue;
        // To a part of a pixel: where the light falls most.
        double sum = 0, place = 0;
        for (int k = r - kHalf - 1; k <= r + kHalf; ++k) {
            double drop = 0;
            for (const auto& p : profile) drop += (p[static_cast<std::size_t>(k)] - p[static_cast<std::size_t>(k + 1)]) / 4;
            if (drop / step[at] > 0.15) sum += drop, place += drop * (k + 1);
        }
        out.push_back({sum != 0 ? place / sum : r + 0.5, step[at]});
    }
    return out;
}

void takeRings(Plane& plane, const Star& star, const std::vector<Edge>& edges) {
    const double reach = edges.front().radius + 1; // outermost first
    for (int y = std::max(0, static_cast<int>(star.y - reach)); y <= std::min(plane.height() - 1, static_cast<int>(star.y + reach)); ++y)
        for (int x = std::max(0, static_cast<int>(star.x - reach)); x <= std::min(plane.width() - 1, static_cast<int>(star.x + reach)); ++x) {
            const double r = std::hypot(x - star.x, y - star.y);
            double light = 0;
            for (const Edge& e : edges) light += e.step * std::clamp(e.radius - r + 0.5, 0.0, 1.0);
            plane.at(x, y) -= static_cast<float>(std::max(0.0, light));
        }
}

/// The star image beyond the disc, out to where it gives no more than `nothing`.
void takeWings(Plane& plane, const Star& star, const Psf& psf, double disc, double nothing) {
    double reach = disc;
    while (reach < 200 && star.flux * psf.lightAt(reach) > nothing) reach += 2;
    if (reach <= disc) return;
    for (int y = std::max(0, static_cast<int>(star.y - reach)); y <= std::min(plane.height() - 1, static_cast<int>(star.y + reach)); ++y)
        for (int x = std::max(0, static_cast<int>(star.x - reach)); x <= std::min(plane.width() - 1, static_cast<int>(star.x + reach)); ++x) {
            const double r = std::hypot(x - star.x, y - star.y);
            if (r >= disc && r < reach) plane.at(x, y) -= static_cast<float>(star.flux * psf.lightAt(r));
        }
}

/// Fills what is hidden from a pyramid of means: coarse where much is hidden, fine where little is.
struct Pyramid {
    struct Level {
        int width, height;
        std::vector<float> value, weight;
    };
    std::vector<Level> levels;

    Pyramid(const Plane& plane, const Mask& mask) {
        Level base{plane.width(), plane.height(), std::vector<float>(plane.size()), std::vector<float>(plane.size())};
        for (int y = 0; y < plane.height(); ++y)
            for (int x = 0; x < plane.width(); ++x) {
                const auto at = static_cast<std::size_t>(y) * static_cast<std::size_t>(plane.width()) + static_cast<std::size_t>(x);
                const float v = plane.data()[at];
                const bool there = !mask.hidden(x, y) && v == v;
                base.value[at] = there ? v : 0, base.weight[at] = there ? 1 : 0;
            }
        levels.push_back(std::move(base));
        while (std::min(levels.back().width, levels.back().height) > 2) {
            const Level& fine = levels.back();
            Level coarse{(fine.width + 1) / 2, (fine.height + 1) / 2, {}, {}};
            const auto size = static_cast<std::size_t>(coarse.width) * static_cast<std::size_t>(coarse.height);
            coarse.value.resize(size), coarse.weight.resize(size);
            tbb::parallel_for(0, coarse.height, [&](int y) {
                for (int x = 0; x < coarse.width; ++x) {
                    float sum = 0, weight = 0;
                    for (int j = 2 * y; j < std::min(2 * y + 2, fine.height); ++j)
                        for (int i = 2 * x; i < std::min(2 * x + 2, fine.width); ++i) {
                            const auto at = static_cast<std::size_t>(j) * static_cast<std::size_t>(fine.width) + static_cast<std::size_t>(i);
                            sum += fine.value[at] * fine.weight[at], weight += fine.weight[at];
                        }
                    const auto at = static_cast<std::size_t>(y) * static_cast<std::size_t>(coarse.width) + static_cast<std::size_t>(x);
                    coarse.value[at] = weight > 0 ? sum / weight : 0;
                    coarse.weight[at] = std::min(1.0F, weight / 2);
                }
            });
            levels.push_back(std::move(coarse));
        }
        for (std::size_t k = levels.size() - 1; k-- > 0;) {
            Level& fine = levels[k];
            const Level& coarse = levels[k + 1];
            tbb::parallel_for(0, fine.height, [&](int y) {
                for (int x = 0; x < fine.width; ++x) {
                    const auto at = static_cast<std::size_t>(y) * static_cast<std::size_t>(fine.width) + static_cast<std::size_t>(x);
                    if (fine.weight[at] >= 1) continue;
                    // Bilinear between coarse centres.
                    const float u = std::clamp(0.5F * static_cast<float>(x) - 0.25F, 0.0F, static_cast<float>(coarse.width - 1)),
                                v = std::clamp(0.5F * static_cast<float>(y) - 0.25F, 0.0F, static_cast<float>(coarse.height - 1));
                    const int i = static_cast<int>(u), j = static_cast<int>(v), i1 = std::min(i + 1, coarse.width - 1), j1 = std::min(j + 1, coarse.height - 1);
                    const float tu = u - static_cast<float>(i), tv = v - static_cast<float>(j);
                    const auto c = [&](int a, int b) {
                        return coarse.value[static_cast<std::size_t>(b) * static_cast<std::size_t>(coarse.width) + static_cast<std::size_t>(a)];
                    };
                    const float from = (c(i, j) * (1 - tu) + c(i1, j) * tu) * (1 - tv) + (c(i, j1) * (1 - tu) + c(i1, j1) * tu) * tv;
                    fine.value[at] = fine.weight[at] * fine.value[at] + (1 - fine.weight[at]) * from;
                    fine.weight[at] = 1;
                }
            });
        }
    }
};

/// A quadratic through the free pixels around a disc: a nebula bends beneath a star, which its rim alone does not tell. Written into the middle of the disc,
/// towards its rim the fill stays.
void bend(Plane& plane, const Mask& mask, Point at, double radius) {
    const double outer = 1.7 * radius + 5;
    SquareMatrix<6> normal = SquareMatrix<6>::Zero();
    Column<6> right = Column<6>::Zero();
    std::size_t n = 0;
    const int x0 = std::max(0, static_cast<int>(at.x - outer)), x1 = std::min(plane.width() - 1, static_cast<int>(at.x + outer));
    const int y0 = std::max(0, static_cast<int>(at.y - outer)), y1 = std::min(plane.height() - 1, static_cast<int>(at.y + outer));
    const auto terms = [&](int x, int y) {
        const double u = (x - at.x) / outer, v = (y - at.y) / outer;
        return Column<6>{1, u, v, u * u, u * v, v * v};
    };
    for (int y = y0; y <= y1; ++y)
        for (int x = x0; x <= x1; ++x) {
            const double r = std::hypot(x - at.x, y - at.y);
            const float value = plane.at(x, y);
            if (r < radius || r > outer || value != value || mask.hidden(x, y)) continue;
            const auto t = terms(x, y);
            normal += t * t.transpose(), right += t * static_cast<double>(value), ++n;
        }
    if (static_cast<double>(n) < 0.4 * M_PI * (outer * outer - radius * radius)) return; // crowded: the rim has to do
    const Column<6> fit = solveNormal(normal, right);
    for (int y = std::max(0, static_cast<int>(at.y - radius)); y <= std::min(plane.height() - 1, static_cast<int>(at.y + radius)); ++y)
        for (int x = std::max(0, static_cast<int>(at.x - radius)); x <= std::min(plane.width() - 1, static_cast<int>(at.x + radius)); ++x) {
            const double in = radius - std::hypot(x - at.x, y - at.y);
            if (in <= 0) continue;
            const double w = std::min(1.0, in / (0.3 * radius));
            plane.at(x, y) = static_cast<float>(w * fit.dot(terms(x, y)) + (1 - w) * static_cast<double>(plane.at(x, y)));
        }
}

/// Laplace's equation within what is hidden, its rim held: from the pyramid's guess a few dozen steps do.
void relax(Plane& plane, const Mask& mask) {
    const int w = plane.width(), h = plane.height();
    std::vector<std::size_t> inside;
    for (int y = 1; y + 1 < h; ++y)
        for (int x = 1; x + 1 < w; ++x)
            if (mask.hidden(x, y)) inside.push_back(static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x));
    float* p = plane.data();
    constexpr int kSteps = 60;
    for (int step = 0; step < kSteps; ++step)
        for (int colour = 0; colour < 2; ++colour) // a chessboard, so that the order does not matter
            tbb::parallel_for(tbb::blocked_range<std::size_t>(0, inside.size(), 4096), [&](const tbb::blocked_range<std::size_t>& part) {
                for (std::size_t k = part.begin(); k < part.end(); ++k) {
                    const std::size_t at = inside[k];
                    if (((at / static_cast<std::size_t>(w) + at % static_cast<std::size_t>(w)) & 1) != static_cast<std::size_t>(colour)) continue;
                    const float sum = p[at - 1] + p[at + 1] + p[at - static_cast<std::size_t>(w)] + p[at + static_cast<std::size_t>(w)];
                    if (sum == sum) p[at] = 0.25F * sum;
                }
            });
}

} // namespace

Starless withoutStars(const Plane& plane, const PlaneStars& found, double noise, unsigned long long seed) {
    Starless out{Plane(plane), {}, {}};
    const double least = noise > 0 ? noise : found.typicalNoise;
    PlaneView view;
    view.width = plane.width(), view.height = plane.height();
    const auto discs = starDiscs(found.stars, found.psf, std::max(least, 1e-12), kLeft * std::max(least, 1e-12), view);
    Mask mask(plane.width(), plane.height());
    for (std::size_t i = 0; i < discs.size(); ++i) {
        hideDisc(mask, 0, plane.height(), discs[i].at, discs[i].radius);
        out.stars.push_back(discs[i].at);
        out.radii.push_back(static_cast<float>(discs[i].radius));
    }
    std::vector<Star> stars = found.stars;
    tbb::parallel_for(std::size_t{0}, stars.size(), [&](std::size_t i) { // the light of burnt-out middles, from what lies around them
        if (!stars[i].saturated) return;
        if (const auto whole = starFlux(plane, found, {stars[i].x, stars[i].y})) stars[i].flux = std::max(stars[i].flux, whole->flux);
    });
    if (found.psf)
        for (std::size_t i = 0; i < discs.size(); ++i) takeWings(out.ground, stars[i], *found.psf, discs[i].radius, 0.02 * least);
    for (std::size_t i = 0; i < found.stars.size(); ++i) // brightest first
        if (found.stars[i].flux > kBright * least)
            if (const auto rings = ringsOf(out.ground, mask, found.stars[i], discs[i].radius, least); !rings.empty())
                takeRings(out.ground, found.stars[i], rings);
    for (std::size_t i = 0; i < found.stars.size(); ++i)
        if (stars[i].flux > kGlaring * least) takeAureole(out.ground, mask, stars[i], discs[i].radius, least);
    // The rim itself is noisy: the fill starts from means over some pixels of it.
    const Pyramid pyramid(out.ground, mask);
    std::vector<std::size_t> hidden;
    std::size_t at = 0;
    for (int y = 0; y < plane.height(); ++y)
        for (int x = 0; x < plane.width(); ++x, ++at)
            if (mask.hidden(x, y)) {
                float& v = out.ground.data()[at];
                if (v == v) hidden.push_back(at);
                v = pyramid.levels[0].value[at];
            }
    relax(out.ground, mask);
    constexpr double kWide = 5;                    // pixels: smaller ones bend nothing
    for (std::size_t i = 0; i < discs.size(); ++i) // about a burnt-out star what is left of its aureole would be bent upwards
        if (discs[i].radius > kWide && !stars[i].saturated) bend(out.ground, mask, discs[i].at, discs[i].radius);
    for (const std::size_t i : hidden)
        if (noise > 0) {
            Random random(seed + i * 2654435761ULL); // by place: the same in any order
            out.ground.data()[i] += static_cast<float>(noise * random.normal());
        }
    return out;
}

void addBurntOut(const Plane& plane, PlaneStars& found) {
    constexpr float kTop = 0.85F;      // of the brightest pixel
    constexpr std::size_t kFewest = 9; // pixels of a flat top
    float top = 0;
    for (std::size_t i = 0; i < plane.size(); ++i)
        if (plane.data()[i] > top) top = plane.data()[i];
    if (!(static_cast<double>(top) > 200 * found.typicalNoise)) return;
    const int w = plane.width();
    std::vector<char> seen(plane.size(), 0);
    for (int y = 0; y < plane.height(); ++y)
        for (int x = 0; x < w; ++x) {
            const auto start = static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x);
            if (seen[start] || !(plane.data()[start] >= kTop * top)) continue;
            std::vector<std::size_t> stack{start}, all;
            seen[start] = 1;
            while (!stack.empty()) {
                const std::size_t at = stack.back();
                stack.pop_back();
                all.push_back(at);
                const int px = static_cast<int>(at % static_cast<std::size_t>(w)), py = static_cast<int>(at / static_cast<std::size_t>(w));
                for (const auto& [dx, dy] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
                    if (!plane.contains(px + dx, py + dy)) continue;
                    const auto next = static_cast<std::size_t>(py + dy) * static_cast<std::size_t>(w) + static_cast<std::size_t>(px + dx);
                    if (seen[next] || !(plane.data()[next] >= kTop * top)) continue;
                    seen[next] = 1;
                    stack.push_back(next);
                }
            }
            if (all.size() < kFewest) continue;
            Star s;
            for (const std::size_t at : all)
                s.x += static_cast<double>(at % static_cast<std::size_t>(w)), s.y += static_cast<double>(at / static_cast<std::size_t>(w));
            s.x /= static_cast<double>(all.size()), s.y /= static_cast<double>(all.size());
            if (starNear(found.stars, {s.x, s.y}, 4)) continue;
            s.peak = static_cast<double>(top);
            s.area = static_cast<int>(6 * all.size());
            s.reach = std::sqrt(s.area / M_PI);
            s.flux = static_cast<double>(top) * s.area;
            s.saturated = true;
            found.stars.insert(found.stars.begin(), s);
        }
}

namespace {

/// The sky's levels above their middle, where galaxies are looked for.
struct Levels {
    const SmoothSky& sky;
    double low = 0;
    double at(double x, double y) const { return sky.level(x, y) - low; }
};

/// One smooth light that falls steadily from a bright middle, by less than the smooth rim of a nebula would: means within 1, 1.5 to 2.5 and 4 to 5 units.
bool fallsLikeGalaxy(const Levels& levels, Point middle, double unit, int step, int width, int height) {
    double inner = 0, ring = 0, outer = 0, n1 = 0, n2 = 0, n3 = 0;
    std::vector<double> around;
    for (int y = step / 2; y < height; y += step / 2)
        for (int x = step / 2; x < width; x += step / 2) {
            const double r = std::hypot(x - middle.x, y - middle.y) / unit, v = levels.at(x, y);
            if (r < 1) inner += v, n1 += 1;
            if (r >= 1.5 && r < 2.5) ring += v, n2 += 1, around.push_back(v);
            if (r >= 4 && r < 5) outer += v, n3 += 1;
        }
    if (n1 < 4 || n2 < 4 || n3 < 4) return false;
    inner /= n1, ring /= n2, outer /= n3;
    // Discs are exponential: even one whose scale is an eighth of the frame falls by 3.5 from the ring to outside; nebulae fall by about two.
    const double ragged = robustSigma(around) / std::max(1e-12, ring);
    return inner > 1.7 * ring && ring > 0.1 * inner && ring > 3 * std::max(0.0, outer) && ragged < 0.6;
}

} // namespace

bool looksLikeGalaxy(const Plane& plane, const PlaneStars& found) {
    const SmoothSky sky = findingSky(plane);
    const int step = std::max(8, std::min(plane.width(), plane.height()) / 48);
    const double unit = 0.06 * std::min(plane.width(), plane.height());
    struct Place {
        Point at;
        double level;
    };
    std::vector<Place> places;
    std::vector<double> all;
    for (int y = step; y + step < plane.height(); y += step)
        for (int x = step; x + step < plane.width(); x += step) {
            places.push_back({{static_cast<double>(x), static_cast<double>(y)}, sky.level(x, y)});
            all.push_back(places.back().level);
        }
    if (places.size() < 50) return false;
    const Levels levels{sky, median(std::span<double>(all))};
    std::sort(places.begin(), places.end(), [](const Place& a, const Place& b) { return a.level > b.level; });
    // The brightest light may be the aureole of a star, hundreds of times brighter than what lies around it: then the next is looked at.
    constexpr int kTries = 5;
    constexpr double kAureole = 300, kNear = 0.35, kReach = 3;
    std::vector<Point> aureoles;
    for (const Place& p : places) {
        if (std::any_of(aureoles.begin(), aureoles.end(), [&](Point g) { return std::hypot(g.x - p.at.x, g.y - p.at.y) < kReach * unit; })) continue;
        const double above = p.level - levels.low;
        if (above < 5 * std::max(1e-12, found.typicalNoise) || static_cast<int>(aureoles.size()) >= kTries) return false;
        const bool aureole = std::any_of(found.stars.begin(), found.stars.end(),
                                         [&](const Star& s) { return s.peak > kAureole * above && std::hypot(s.x - p.at.x, s.y - p.at.y) < kNear * unit; });
        if (!aureole) return fallsLikeGalaxy(levels, p.at, unit, step, plane.width(), plane.height());
        aureoles.push_back(p.at);
    }
    return false;
}

} // namespace caelumen
