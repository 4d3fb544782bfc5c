#include "core/measure/halo.h"

#include "core/base/statistics.h"
#include "core/measure/halo_discs.h"
#include "core/stars/scaled_star.h"

#include <Eigen/Dense>
#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <tuple>

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

/// Mean over the sectors and its error, with a slope across the star (nebula, gradient) fitted along, since it cancels in the mean but not in the
/// scatter. Sectors more than 2.5 sigma off are left out. The error is 0 where fewer than 7 sectors are seen.
std::pair<double, double> meanOverSectors(const std::array<float, kHaloSectors>& sectors) {
    std::array<bool, kHaloSectors> used{};
    for (std::size_t s = 0; s < kHaloSectors; ++s) used[s] = std::isfinite(sectors[s]);
    double mean = 0, sigma = 0;
    for (int round = 0; round < 5; ++round) {
        Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
        Eigen::Vector3d g = Eigen::Vector3d::Zero();
        const auto basis = [](std::size_t s) {
            const double phi = (static_cast<double>(s) + 0.5) * 2 * M_PI / kHaloSectors;
            return Eigen::Vector3d(1, std::cos(phi), std::sin(phi));
        };
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

/// Where the middle of a sector lies, as a direction.
Point towards(std::size_t sector) {
    const double phi = (static_cast<double>(sector) + 0.5) * 2 * M_PI / kHaloSectors;
    return {std::cos(phi), std::sin(phi)};
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
                const Point d = towards(s);
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
void measureOffset(const HaloProfile& p, HaloRing& ring, double pitch) {
    const auto last = std::min(p.sectors.size(), static_cast<std::size_t>(std::ceil(1.25 * ring.radius / pitch)));
    const SkySlope slope = slopeBetween(p, last, static_cast<std::size_t>(std::max(2.2 * ring.radius / pitch, static_cast<double>(last) + 12)));
    double mx = 0, my = 0, variance = 0, lever = 0;
    for (std::size_t i = static_cast<std::size_t>(p.blind); i < last; ++i) {
        const double r = static_cast<double>(i) + 0.5, area = 2 * M_PI * r / kHaloSectors;
        for (std::size_t s = 0; s < kHaloSectors; ++s) {
            const double v = static_cast<double>(p.sectors[i][s]);
            if (!std::isfinite(v) || !(p.sigma[i] > 0)) continue;
            const Point d = towards(s);
            const double excess = v - p.value[i] - r * (slope.x * d.x + slope.y * d.y);
            // A neighbour that slipped through must not steer: limit what one sector can say to the ring's own light.
            const double cap = 1.5 * ring.plateau * pitch * pitch * p.flux + 4 * p.sigma[i] * 4;
            const double used = std::clamp(excess, -cap, cap);
            mx += used * area * r * d.x;
            my += used * area * r * d.y;
            variance += p.sigma[i] * p.sigma[i] * kHaloSectors * area * area * r * r * 0.5;
            lever += area * r * r * 0.5;
        }
    }
    const double edge = ring.radius / pitch, light = ring.plateau * pitch * pitch * p.flux * M_PI * edge * edge;
    if (!(light > 0)) return;
    ring.offset = length(mx, my) / light * pitch;
    ring.offsetSigma = std::sqrt(variance + std::pow(slope.sigma * lever, 2)) / light * pitch;
    ring.offsetAngle_deg = std::atan2(my, mx) * 180 / M_PI;
}

/// Whether the edge of a disc is seen all round, as far as the noise lets tell: light that steps down at a radius on one side only is nebula, or a neighbour. `height` is of the disc, plane
/// units.
bool closesAround(const HaloProfile& p, double edge, double height, double blur) {
    struct Part {
        double n = 0, sum = 0, squares = 0;
        double mean() const { return sum / n; }
        double variance() const { return std::max(0.0, squares / n - mean() * mean()) / n; }
    };
    const double width = std::max(4.0, 0.25 * edge), gap = std::max(1.0, blur);
    int seen = 0, steps = 0;
    for (std::size_t quarter = 0; quarter < 4; ++quarter) {
        const auto between = [&](double from, double to) {
            Part part;
            for (auto i = static_cast<std::size_t>(std::max(p.blind, from)); i < std::min(p.sectors.size(), static_cast<std::size_t>(std::max(0.0, to))); ++i)
                for (std::size_t s = 4 * quarter; s < 4 * quarter + 4; ++s)
                    if (const auto v = static_cast<double>(p.sectors[i][s]); std::isfinite(v)) part.n += 1, part.sum += v, part.squares += v * v;
            return part;
        };
        const Part inside = between(edge - gap - width, edge - gap), outside = between(edge + gap, edge + gap + width);
        if (inside.n < 6 || outside.n < 6) continue;
        ++seen;
        steps += inside.mean() - outside.mean() + std::sqrt(inside.variance() + outside.variance()) > 0.25 * height;
    }
    return seen >= 3 && steps >= 3;
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
    std::vector<std::array<double, kHaloSectors>> sum(bins), weight(bins);
    const int c0 = static_cast<int>(std::lround(out.centre.x)), c1 = static_cast<int>(std::lround(out.centre.y)), r = static_cast<int>(bins);
    for (int y = std::max(0, c1 - r); y <= std::min(plane.height() - 1, c1 + r); ++y) {
        for (int x = std::max(0, c0 - r); x <= std::min(plane.width() - 1, c0 + r); ++x) {
            const double dx = x - out.centre.x, dy = y - out.centre.y;
            const auto bin = static_cast<std::size_t>(length(dx, dy));
            if (bin >= bins || !std::isfinite(plane.at(x, y))) continue;
            if (mask.hidden(x, y)) continue;
            const std::size_t sector = sectorOf(dx, dy);
            sum[bin][sector] += static_cast<double>(plane.at(x, y));
            weight[bin][sector] += 1;
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
            if (weight[i][s] >= 1) out.sectors[i][s] = static_cast<float>(sum[i][s] / weight[i][s]);
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
        return Base{between(b.value) * per, b.sigma[i] > 0 && b.sigma[i + 1] > 0 ? length((1 - t) * b.sigma[i], t * b.sigma[i + 1]) * per : 0, b.core.empty() ? 0 : between(b.core) * perBase};
    };
    std::vector<double> sharpened;
    for (std::size_t i = 0; i < f.value.size(); ++i) {
        const double radius = (static_cast<double>(i) + 0.5) * pitch;
        const Base base = baselineAt(radius);
        const double per = 1 / (f.flux * pitch * pitch);
        e.radius.push_back(radius);
        e.value.push_back(f.value[i] * per - base.value);
        e.sigma.push_back(f.sigma[i] > 0 && base.sigma > 0 ? length(f.sigma[i] * per, base.sigma) : 0);
        e.focus.push_back(f.core.empty() || b.core.empty() ? 0 : f.core[i] / (pitch * pitch) - base.core);
        sharpened.push_back(e.halo(i));
    }
    const double blind = std::max(f.blind, b.blind * b.pitch * scale / pitch);
    const auto first = std::min(static_cast<std::size_t>(std::ceil(blind)), e.value.size());

    // The wing: smooth light near the star, as haze makes it.
    const double fwhm = std::max(f.fwhm, 1.0);
    const Line wing = meanOver(e, std::min(first, e.value.size()), std::min(e.value.size(), first + static_cast<std::size_t>(4 * fwhm) + 4));
    e.wing = wing.mean;
    e.wingSigma = wing.meanSigma;

    // A pixel's width and the star image soften an edge.
    const double blur = length(0.45 * pitch, std::max(f.fwhm * pitch, b.fwhm * b.pitch * scale) / 2.355);
    std::vector<HaloDisc> discs = findHaloDiscs(e.radius, sharpened, e.sigma, first, blur, obstruction);
    if (!discs.empty()) { // off its centre a disc's edge is spread over the rings: look again knowing that
        const HaloDisc& main = *std::max_element(discs.begin(), discs.end(), [](const HaloDisc& x, const HaloDisc& y) { return x.significance < y.significance; });
        HaloRing ring;
        ring.radius = main.radius;
        ring.plateau = main.height;
        measureOffset(f, ring, pitch);
        if (ring.offset > std::max(3.5 * ring.offsetSigma, blur) && ring.offset < 0.4 * ring.radius)
            discs = findHaloDiscs(e.radius, sharpened, e.sigma, first, length(blur, ring.offset / std::sqrt(2.0)), obstruction);
    }
    // What is no disc stays in the fit that the others' heights come from, and goes now.
    std::erase_if(discs, [&](const HaloDisc& d) { return !closesAround(f, d.radius / pitch, d.height * f.flux * pitch * pitch, blur / pitch); });
    // Discs lie upon one another: the level between two edges is the sum of those from there outwards.
    const double fluxError = length(f.fluxSigma / f.flux, b.fluxSigma / b.flux);
    double level = 0, levelVariance = 0;
    for (std::size_t i = discs.size(); i-- > 0;) {
        HaloRing ring;
        ring.radius = discs[i].radius;
        ring.radiusSigma = length(discs[i].radiusSigma, 0.18 * pitch); // rings are a pixel wide
        level += discs[i].height;
        levelVariance += discs[i].heightSigma * discs[i].heightSigma;
        ring.plateau = level;
        ring.plateauSigma = std::sqrt(levelVariance + std::pow(level * fluxError, 2));
        ring.inner = i == 0 ? obstruction * ring.radius : discs[i - 1].radius;
        const double area = M_PI * (ring.radius * ring.radius - ring.inner * ring.inner);
        ring.fraction = level * area;
        ring.fractionSigma = length(ring.plateauSigma * area, level * 2 * M_PI * ring.radius * ring.radiusSigma);
        measureOffset(f, ring, pitch);
        e.rings.insert(e.rings.begin(), ring);
    }

    e.limitRadius = std::clamp(expectedRadius, (static_cast<double>(first) + 6) * pitch, std::max((static_cast<double>(first) + 6) * pitch, 0.85 * static_cast<double>(e.value.size()) * pitch));
    const auto limitBin = std::min(e.value.size(), static_cast<std::size_t>(e.limitRadius / pitch));
    const Line disc = meanOver(e, std::min(first, limitBin), limitBin);
    // The scatter of the far profile tells what smooth structure can do to so large a mean.
    const Line far = meanOver(e, limitBin, e.value.size());
    e.limit = disc.valid ? 3 * length(disc.meanSigma, far.valid ? far.meanSigma : 0) : 0;
    return e;
}

} // namespace caelumen
