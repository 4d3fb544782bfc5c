#include "core/measure/halo.h"

#include "core/base/statistics.h"
#include "core/measure/halo_discs.h"
#include "core/stars/scaled_star.h"

#include <Eigen/Dense>
#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <limits>
#include <tuple>
#include <utility>

namespace caelumen {
namespace {

/// Neighbours small enough not to hide the halo itself: discs that follow the star image, not the detection isophote.
PatchMask neighbourMask(const std::vector<Star>& stars, const Psf& psf, double noise, Point centre, double own, double reach) {
    PatchMask mask(centre, static_cast<int>(std::ceil(reach)) + 2);
    for (const Star& s : stars) {
        const double away = length(s.x - centre.x, s.y - centre.y);
        if (away < own || away > 1.5 * reach + 20 * psf.fwhm) continue;
        double r = 1.2 * psf.fwhm;
        while (r < 10 * psf.fwhm && s.flux * psf.lightAt(r) > 0.2 * noise) r *= 1.1;
        if (away < r) r = std::max(1.2 * psf.fwhm, 0.5 * away); // its flux is borrowed from the bright star
        mask.hide({s.x, s.y}, r);
    }
    return mask;
}

/// Radius out to which the star is saturated.
double saturatedRadius(const Plane& plane, Point c, double saturation, double limit) {
    double radius = 0;
    const int reach = static_cast<int>(limit);
    const int cx = static_cast<int>(std::lround(c.x)), cy = static_cast<int>(std::lround(c.y));
    for (int y = std::max(0, cy - reach); y <= std::min(plane.height() - 1, cy + reach); ++y)
        for (int x = std::max(0, cx - reach); x <= std::min(plane.width() - 1, cx + reach); ++x)
            if (static_cast<double>(plane.at(x, y)) >= saturation) radius = std::max(radius, length(x - c.x, y - c.y));
    return std::min(radius, limit);
}

/// Where the middles of the sectors lie, as directions.
const std::array<Point, kHaloSectors> kTowards = [] {
    std::array<Point, kHaloSectors> out;
    for (std::size_t s = 0; s < kHaloSectors; ++s) {
        const double phi = (static_cast<double>(s) + 0.5) * 2 * M_PI / kHaloSectors;
        out[s] = {std::cos(phi), std::sin(phi)};
    }
    return out;
}();

/// Mean over the sectors and its error, with a slope across the star (nebula, gradient) fitted along, since it cancels in the mean but not in the
/// scatter. Sectors more than 2.5 sigma off are left out. The error is 0 where fewer than 7 sectors are seen.
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
        const Eigen::Matrix3d inverse = a.inverse();
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

struct Line {
    double mean = 0, meanSigma = 0; ///< weighted mean over the window
    bool valid = false;
};

/// Weighted mean of the excess over [from, to), its error grown by the misfit of a straight line.
Line meanOver(const HaloExcess& e, std::size_t from, std::size_t to) {
    double w = 0, x = 0, y = 0;
    std::size_t n = 0;
    for (std::size_t i = from; i < to; ++i) {
        if (!(e.sigma[i] > 0)) continue;
        const double weight = 1 / (e.sigma[i] * e.sigma[i]);
        w += weight;
        x += weight * e.radius[i];
        y += weight * e.value[i];
        ++n;
    }
    Line out;
    if (n < 4) return out;
    x /= w, y /= w;
    double xx = 0, xy = 0;
    for (std::size_t i = from; i < to; ++i) {
        if (!(e.sigma[i] > 0)) continue;
        const double weight = 1 / (e.sigma[i] * e.sigma[i]);
        xx += weight * (e.radius[i] - x) * (e.radius[i] - x);
        xy += weight * (e.radius[i] - x) * (e.value[i] - y);
    }
    const double slope = xy / xx;
    double chi = 0;
    for (std::size_t i = from; i < to; ++i) {
        if (!(e.sigma[i] > 0)) continue;
        const double r = (e.value[i] - y - slope * (e.radius[i] - x)) / e.sigma[i];
        chi += r * r;
    }
    const double inflate = std::max(1.0, std::sqrt(chi / std::max(1.0, static_cast<double>(n) - 2)));
    out.mean = y;
    out.meanSigma = inflate / std::sqrt(w);
    out.valid = true;
    return out;
}

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

/// First moment of the sectors: a disc shifted by d carries a moment of its flux times d. The sky's own slope, seen outside the disc, is taken off first.
/// `known`: an offset found before, stored pixels.
void measureOffset(const HaloProfile& p, HaloRing& ring, double pitch, double known = 0) {
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

/// What the filter adds, by sector, about a centre that lies beside the star by `offset` (plane pixels): `taken` is the star's own light (the baseline's, by
/// radius) and `takenSigma` its error.
HaloProfile excessAbout(const HaloProfile& f, const std::vector<double>& taken, const std::vector<double>& takenSigma, Point offset) {
    HaloProfile out = f;
    const double away = length(offset.x, offset.y);
    for (std::size_t i = 0; i < f.sectors.size(); ++i) {
        double sigma = 0;
        for (std::size_t s = 0; s < kHaloSectors; ++s) {
            const Point d = kTowards[s];
            // From the shifted centre's radius to the star's.
            const double around = static_cast<double>(i) + 0.5, along = offset.x * d.x + offset.y * d.y;
            const double at = along + std::sqrt(std::max(0.0, around * around - (away * away - along * along))) - 0.5;
            float& value = out.sectors[i][s] = std::numeric_limits<float>::quiet_NaN();
            if (at < std::max(0.0, f.blind - 0.5) || at + 1 >= static_cast<double>(f.sectors.size())) continue;
            const auto k = static_cast<std::size_t>(at);
            if (!(takenSigma[k] > 0)) continue;
            const double t = at - static_cast<double>(k);
            value = static_cast<float>((1 - t) * (static_cast<double>(f.sectors[k][s]) - taken[k]) +
                                       (t > 0 ? t * (static_cast<double>(f.sectors[k + 1][s]) - taken[k + 1]) : 0));
            sigma = std::max(sigma, takenSigma[k]);
        }
        std::tie(out.value[i], out.sigma[i]) = meanOverSectors(out.sectors[i]);
        if (out.sigma[i] > 0) out.sigma[i] = length(out.sigma[i], sigma);
    }
    return out;
}

/// Whether the edge of a disc is seen all round, as far as the noise lets tell: light that steps down at a radius on one side only is nebula, or a neighbour.
/// `height` is of the disc, radii and blur in plane pixels.
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

/// Light on one side that stands out of the others, in units of the star's: the most of any sector beyond the middle one, with its error.
struct OneSided {
    double light = 0, sigma = 0;
};
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

/// Which sixteenth of the circle an offset points to, counted from +x towards +y, without an arc tangent for every pixel.
std::size_t sectorOf(double dx, double dy) {
    static_assert(kHaloSectors == 16);
    const std::size_t quarter = dy >= 0 ? (dx > 0 ? 0 : 1) : (dx < 0 ? 2 : 3);
    const double along = quarter % 2 == 0 ? std::abs(dx) : std::abs(dy), across = quarter % 2 == 0 ? std::abs(dy) : std::abs(dx);
    constexpr double kEighth = 0.41421356237309503; // tan 22.5 degrees
    const std::size_t part = across < along ? (across < kEighth * along ? 0 : 1) : (along > kEighth * across ? 2 : 3);
    return 4 * quarter + part;
}

} // namespace

Result<HaloProfile> measureHaloProfile(const Plane& plane, Point guess, double reach, const std::optional<Psf>& psf, const std::vector<Star>& stars,
                                       double noise, double saturation, double pitch) {
    if (!psf) return Error{"there are too few unsaturated stars to know the star image"};
    if (guess.x < 0 || guess.y < 0 || guess.x > plane.width() - 1 || guess.y > plane.height() - 1) return Error{"the star lies outside this frame"};
    // The catalogue knows the star's place better than the mouse does.
    const Star* nearest = starNear(stars, guess, std::max(12.0, 4 * psf->fwhm));
    if (!nearest) return Error{"no star is found at that place in this frame"};
    const Point start{nearest->x, nearest->y};
    HaloProfile out;
    out.pitch = pitch;
    out.fwhm = psf->fwhm;
    const double burnt = saturatedRadius(plane, start, saturation, 60);
    const double own = std::max(2 * psf->fwhm, burnt + psf->fwhm);
    const double fitRadius = std::max({2.5 * psf->fwhm, 5.0, burnt > 0 ? burnt + std::max(1.5 * psf->fwhm, 4.0) : 0.0});
    const PatchMask mask = neighbourMask(stars, *psf, noise, start, own, std::max(reach, fitRadius));
    const auto star = scalePsf(plane, *psf, start, fitRadius, saturation, mask);
    if (!star) return Error{"the star image could not be fitted to the star's unsaturated pixels"};
    out.centre = star->centre;
    out.flux = star->flux;
    out.fluxSigma = star->sigma;
    out.blind = std::max(3 * psf->fwhm, burnt + 1.5 * psf->fwhm);

    const auto bins = static_cast<std::size_t>(std::max(12.0, reach));
    struct Tally {
        double sum = 0, count = 0;
    };
    std::array<std::vector<Tally>, kHaloSectors> tally; // along a row, rings follow one another
    for (auto& sector : tally) sector.resize(bins);
    std::vector<std::uint32_t> bin(2 * bins + 3);
    const int c0 = static_cast<int>(std::lround(out.centre.x)), c1 = static_cast<int>(std::lround(out.centre.y)), r = static_cast<int>(bins);
    for (int y = std::max(0, c1 - r); y <= std::min(plane.height() - 1, c1 + r); ++y) {
        const float* row = plane.row(y);
        const double dy = y - out.centre.y, across = std::sqrt(std::max(0.0, static_cast<double>(bins * bins) - dy * dy));
        const int first = std::max({0, c0 - r, static_cast<int>(out.centre.x - across)}),
                  last = std::min({plane.width() - 1, c0 + r, static_cast<int>(out.centre.x + across) + 1});
        for (int x = first; x <= last; ++x) { // by itself, so that roots are taken side by side
            const double dx = x - out.centre.x;
            bin[static_cast<std::size_t>(x - first)] = static_cast<std::uint32_t>(static_cast<std::int32_t>(std::sqrt(dx * dx + dy * dy)));
        }
        for (int x = first; x <= last; ++x) {
            const std::size_t ring = bin[static_cast<std::size_t>(x - first)];
            if (ring >= bins || !std::isfinite(row[x]) || mask.hidden(x, y)) continue;
            Tally& t = tally[sectorOf(x - out.centre.x, dy)][ring];
            t.sum += static_cast<double>(row[x]);
            t.count += 1;
        }
    }
    constexpr std::size_t kShapely = 15;
    for (std::size_t i = 0; i < bins && psf->stars >= kShapely; ++i) out.core.push_back(psf->core(static_cast<double>(i) + 0.5));
    out.value.assign(bins, 0);
    out.sigma.assign(bins, 0);
    out.sectors.resize(bins);
    for (std::size_t i = 0; i < bins; ++i) {
        out.sectors[i].fill(std::numeric_limits<float>::quiet_NaN());
        for (std::size_t s = 0; s < kHaloSectors; ++s)
            if (const Tally& t = tally[s][i]; t.count >= 1) out.sectors[i][s] = static_cast<float>(t.sum / t.count);
        std::tie(out.value[i], out.sigma[i]) = meanOverSectors(out.sectors[i]);
    }
    // The far sky, from the outer eighth.
    std::vector<double> far;
    for (std::size_t i = bins * 7 / 8; i < bins; ++i)
        if (out.sigma[i] > 0) far.push_back(out.value[i]);
    if (far.size() < 2) return Error{"the star stands too close to the edge of the frame for its surroundings to be measured"};
    const double sky = median(std::span<double>(far));
    for (std::size_t i = 0; i < bins; ++i) {
        out.value[i] -= sky;
        for (float& v : out.sectors[i]) v -= static_cast<float>(sky);
    }
    return out;
}

double HaloExcess::top() const {
    double out = limit;
    for (const HaloRing& ring : rings) out = std::max(out, ring.plateau);
    return out > 0 || limitRadius <= 0 ? out : unexplained / (M_PI * limitRadius * limitRadius);
}

HaloExcess haloExcess(const HaloProfile& f, const HaloProfile& b, double scale, double obstruction, double expectedRadius) {
    HaloExcess e;
    const double pitch = f.pitch;
    // Baseline profile at a run's stored radius, in run stored pixels: the same light spreads over scale^2 as many.
    const double perBase = 1 / (b.pitch * b.pitch * scale * scale);
    struct Base {
        double value = 0, sigma = 0, core = 0;
    };
    const auto baselineAt = [&](double storedRadius) {
        const double r = storedRadius / scale / b.pitch - 0.5;
        if (r < 0 || r + 1 >= static_cast<double>(b.value.size())) return Base{};
        const auto i = static_cast<std::size_t>(r);
        const double t = r - static_cast<double>(i), per = perBase / b.flux;
        const auto between = [&](const std::vector<double>& v) { return (1 - t) * v[i] + t * v[i + 1]; };
        return Base{between(b.value) * per, b.sigma[i] > 0 && b.sigma[i + 1] > 0 ? length((1 - t) * b.sigma[i], t * b.sigma[i + 1]) * per : 0,
                    b.core.empty() ? 0 : between(b.core) * perBase};
    };
    const double unit = f.flux * pitch * pitch; // from light per stored pixel and unit flux to the plane's
    std::vector<double> taken, takenSigma;      // the star's own light, plane units
    for (std::size_t i = 0; i < f.value.size(); ++i) {
        const double radius = (static_cast<double>(i) + 0.5) * pitch;
        const Base base = baselineAt(radius);
        const double per = 1 / unit;
        e.radius.push_back(radius);
        e.value.push_back(f.value[i] * per - base.value);
        e.sigma.push_back(f.sigma[i] > 0 && base.sigma > 0 ? length(f.sigma[i] * per, base.sigma) : 0);
        e.focus.push_back(f.core.empty() || b.core.empty() ? 0 : f.core[i] / (pitch * pitch) - base.core);
        taken.push_back((base.value + e.focus[i]) * unit);
        takenSigma.push_back(base.sigma * unit);
    }
    const double blind = std::max(f.blind, b.blind * b.pitch * scale / pitch);
    const auto first = std::min(static_cast<std::size_t>(std::ceil(blind)), e.value.size());

    // The wing: smooth light near the star, as haze makes it.
    const double fwhm = std::max(f.fwhm, 1.0);
    const Line wing = meanOver(e, std::min(first, e.value.size()), std::min(e.value.size(), first + static_cast<std::size_t>(4 * fwhm) + 4));
    e.wing = wing.mean;
    e.wingSigma = wing.meanSigma;

    e.limitRadius = std::clamp(expectedRadius, (static_cast<double>(first) + 6) * pitch,
                               std::max((static_cast<double>(first) + 6) * pitch, 0.85 * static_cast<double>(e.value.size()) * pitch));

    // A pixel's width and the star image soften an edge.
    const double blur = length(0.45 * pitch, std::max(f.fwhm * pitch, b.fwhm * b.pitch * scale) / kSigmaToFwhm);
    const HaloSearch search{first, blur, obstruction, e.limitRadius};
    Point offset;
    HaloProfile excess = excessAbout(f, taken, takenSigma, offset);
    const auto look = [&] {
        std::vector<double> value, sigma;
        for (std::size_t i = 0; i < excess.value.size(); ++i) value.push_back(excess.value[i] / unit), sigma.push_back(excess.sigma[i] / unit);
        return findHaloDiscs(e.radius, value, sigma, search);
    };
    const auto brightest = [](const std::vector<HaloDisc>& discs) {
        const HaloDisc& d = *std::max_element(discs.begin(), discs.end(), [](const HaloDisc& x, const HaloDisc& y) { return x.significance < y.significance; });
        HaloRing ring;
        ring.radius = d.radius;
        ring.inner = d.hole * d.radius;
        ring.plateau = d.height;
        return std::pair{ring, d.significance};
    };
    HaloFound found = look();
    for (int round = 0; round < 5 && !found.discs.empty(); ++round) { // off the star a disc's edge is spread over the rings: look again about its own centre
        const auto [ring, significance] = brightest(found.discs);
        HaloRing there = ring;
        measureOffset(f, there, pitch, length(offset.x, offset.y) * pitch);
        if (there.offset < std::max(there.offsetSigma, 0.7 * blur) || there.offset > 0.6 * ring.radius) break;
        const double angle = there.offsetAngle_deg * M_PI / 180;
        const Point moved{there.offset / pitch * std::cos(angle), there.offset / pitch * std::sin(angle)};
        if (length(offset.x - moved.x, offset.y - moved.y) < 0.3) break;
        HaloProfile about = excessAbout(f, taken, takenSigma, moved);
        std::swap(excess, about);
        HaloFound again = look();
        const double clearer = there.offset < 3.5 * there.offsetSigma ? 1.15 : 1.02; // there the disc is
        if (again.discs.empty() || brightest(again.discs).second < clearer * significance) {
            std::swap(excess, about);
            break;
        }
        offset = moved;
        found = std::move(again);
    }
    // What is no disc stays in the fit that the others' heights come from, and goes now.
    const auto unexplained = [&](double height, double sigma, double radius) {
        const double light = height * M_PI * radius * radius;
        if (light <= e.unexplained) return;
        e.unexplained = light;
        e.unexplainedSigma = sigma * M_PI * radius * radius;
    };
    std::erase_if(found.discs, [&](const HaloDisc& d) {
        if (closesAround(excess, d.radius / pitch, d.hole, d.height * unit, found.blur / pitch)) return false;
        unexplained(d.height, d.heightSigma, d.radius);
        return true;
    });
    if (found.discs.empty()) unexplained(found.unexplained, found.unexplainedSigma, found.unexplainedRadius);
    // Discs lie upon one another: the level at an edge is the sum of those that reach across it.
    const double fluxError = length(f.fluxSigma / f.flux, b.fluxSigma / b.flux);
    for (const HaloDisc& d : found.discs) {
        HaloRing ring;
        ring.radius = d.radius;
        ring.radiusSigma = length(d.radiusSigma, 0.18 * pitch); // rings are a pixel wide
        ring.hole = d.hole, ring.holeSigma = d.holeSigma, ring.holeMost = d.holeMost, ring.holeSeen = d.holeSeen;
        ring.inner = d.hole * d.radius;
        double variance = 0, light = 0;
        for (const HaloDisc& other : found.discs) {
            if (other.radius < d.radius) ring.inner = std::max(ring.inner, other.radius);
            if (other.radius < d.radius || other.hole * other.radius >= d.radius) continue;
            ring.plateau += other.height;
            variance += other.heightSigma * other.heightSigma;
            light += std::pow(other.height * other.lightSigma, 2);
        }
        const double area = M_PI * (ring.radius * ring.radius - ring.inner * ring.inner);
        ring.plateauSigma = std::sqrt(variance + std::pow(ring.plateau * fluxError, 2));
        ring.fraction = ring.plateau * area;
        ring.fractionSigma = length(std::sqrt(light + std::pow(ring.plateau * fluxError, 2)) * area,
                                    ring.plateau * 2 * M_PI * (d.holeSeen ? ring.radius - ring.inner : ring.radius) * ring.radiusSigma);
        measureOffset(f, ring, pitch, length(offset.x, offset.y) * pitch);
        e.rings.push_back(ring);
    }
    if (!e.rings.empty()) return e;

    // No limit where what is left is more than noise: a shape without an edge all round, unevenness everywhere, light on one side that the baseline does not
    // have.
    const auto last = std::min(excess.value.size(), static_cast<std::size_t>(e.limitRadius / pitch));
    constexpr double kUneven = 2.5, kOneSided = 6;
    if (found.structure > kUneven || found.limit > 3 * found.limitSigma) unexplained(std::max(found.limit, found.limitSigma), found.limitSigma, e.limitRadius);
    if (last > first + 6) {
        const OneSided own = oneSided(excess, first, last),
                       theirs = oneSided(b, static_cast<std::size_t>(b.blind), static_cast<std::size_t>(e.limitRadius / scale / b.pitch));
        if (own.light > kOneSided * own.sigma && own.light > 1.5 * theirs.light + 3 * theirs.sigma && own.light > e.unexplained)
            e.unexplained = own.light, e.unexplainedSigma = own.sigma;
    }
    if (!(e.unexplained > 0) && found.limitSigma > 0) e.limit = std::max(0.0, found.limit) + 3 * found.limitSigma;
    return e;
}

} // namespace caelumen
