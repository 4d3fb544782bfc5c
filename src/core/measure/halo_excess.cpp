#include "core/base/statistics.h"
#include "core/measure/halo.h"
#include "core/measure/halo_discs.h"
#include "core/measure/halo_sectors.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <tuple>
#include <utility>

namespace caelumen {
namespace {

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

/// One filter's profile held against the baseline's. Plane pixels are the filter's; stored pixels the run's.
class ExcessOf {
public:
    ExcessOf(const HaloProfile& filter, const HaloProfile& baseline, double scale)
        : f(filter)
        , b(baseline)
        , m_scale(scale)
        , m_pitch(filter.pitch)
        , m_unit(filter.flux * filter.pitch * filter.pitch)
        , m_blur(length(0.45 * m_pitch, std::max(f.fwhm * m_pitch, b.fwhm * b.pitch * scale) / kSigmaToFwhm)) {}

    HaloExcess take(double obstruction, double expectedRadius) {
        takeBaseline();
        const double blind = std::max(f.blind, b.blind * b.pitch * m_scale / m_pitch);
        m_first = std::min(static_cast<std::size_t>(std::ceil(blind)), e.value.size());
        takeWing();
        const double nearest = (static_cast<double>(m_first) + 6) * m_pitch;
        e.limitRadius = std::clamp(expectedRadius, nearest, std::max(nearest, 0.85 * static_cast<double>(e.value.size()) * m_pitch));
        m_search = {m_first, m_blur, obstruction, e.limitRadius};
        findDiscs();
        dropOpenShapes();
        for (const HaloDisc& d : m_found.discs) e.rings.push_back(ringOf(d));
        if (e.rings.empty()) stateLimit();
        return std::move(e);
    }

private:
    struct Base {
        double value = 0, sigma = 0, core = 0;
    };

    /// The baseline's profile at a stored radius, per stored pixel and unit flux: the same light spreads over scale^2 as many pixels.
    Base baselineAt(double storedRadius) const {
        const double r = storedRadius / m_scale / b.pitch - 0.5;
        if (r < 0 || r + 1 >= static_cast<double>(b.value.size())) return {};
        const auto i = static_cast<std::size_t>(r);
        const double perBase = 1 / (b.pitch * b.pitch * m_scale * m_scale), t = r - static_cast<double>(i), per = perBase / b.flux;
        const auto between = [&](const std::vector<double>& v) { return (1 - t) * v[i] + t * v[i + 1]; };
        return {between(b.value) * per, b.sigma[i] > 0 && b.sigma[i + 1] > 0 ? length((1 - t) * b.sigma[i], t * b.sigma[i + 1]) * per : 0,
                b.core.empty() ? 0 : between(b.core) * perBase};
    }

    void takeBaseline() {
        for (std::size_t i = 0; i < f.value.size(); ++i) {
            const double radius = (static_cast<double>(i) + 0.5) * m_pitch;
            const Base base = baselineAt(radius);
            const double per = 1 / m_unit;
            e.radius.push_back(radius);
            e.value.push_back(f.value[i] * per - base.value);
            e.sigma.push_back(f.sigma[i] > 0 && base.sigma > 0 ? length(f.sigma[i] * per, base.sigma) : 0);
            e.focus.push_back(f.core.empty() || b.core.empty() ? 0 : f.core[i] / (m_pitch * m_pitch) - base.core);
            m_taken.push_back((base.value + e.focus[i]) * m_unit);
            m_takenSigma.push_back(base.sigma * m_unit);
        }
    }

    /// Smooth light near the star, as haze makes it.
    void takeWing() {
        const double fwhm = std::max(f.fwhm, 1.0);
        const Line wing = meanOver(e, m_first, std::min(e.value.size(), m_first + static_cast<std::size_t>(4 * fwhm) + 4));
        e.wing = wing.mean;
        e.wingSigma = wing.meanSigma;
    }

    HaloFound look() const {
        std::vector<double> value, sigma;
        for (std::size_t i = 0; i < m_excess.value.size(); ++i) value.push_back(m_excess.value[i] / m_unit), sigma.push_back(m_excess.sigma[i] / m_unit);
        return findHaloDiscs(e.radius, value, sigma, m_search);
    }
    static std::pair<HaloRing, double> brightest(const std::vector<HaloDisc>& discs) {
        const HaloDisc& d = *std::max_element(discs.begin(), discs.end(), [](const HaloDisc& x, const HaloDisc& y) { return x.significance < y.significance; });
        HaloRing ring;
        ring.radius = d.radius;
        ring.inner = d.hole * d.radius;
        ring.plateau = d.height;
        return {ring, d.significance};
    }
    void measureOffsetOf(HaloRing& ring) const { measureOffset(f, ring, m_pitch, length(m_offset.x, m_offset.y) * m_pitch); }

    /// Off the star a disc's edge is spread over the rings: what is found is looked for again about its own centre.
    void findDiscs() {
        m_excess = excessAbout(f, m_taken, m_takenSigma, m_offset);
        m_found = look();
        for (int round = 0; round < 5 && !m_found.discs.empty(); ++round) {
            const auto [ring, significance] = brightest(m_found.discs);
            HaloRing there = ring;
            measureOffsetOf(there);
            if (there.offset < std::max(there.offsetSigma, 0.7 * m_blur) || there.offset > 0.6 * ring.radius) break;
            const double angle = there.offsetAngle_deg * M_PI / 180;
            const Point moved{there.offset / m_pitch * std::cos(angle), there.offset / m_pitch * std::sin(angle)};
            if (length(m_offset.x - moved.x, m_offset.y - moved.y) < 0.3) break;
            HaloProfile about = excessAbout(f, m_taken, m_takenSigma, moved);
            std::swap(m_excess, about);
            HaloFound again = look();
            const double clearer = there.offset < 3.5 * there.offsetSigma ? 1.15 : 1.02; // there the disc is
            if (again.discs.empty() || brightest(again.discs).second < clearer * significance) {
                std::swap(m_excess, about);
                break;
            }
            m_offset = moved;
            m_found = std::move(again);
        }
    }

    void unexplained(double height, double sigma, double radius) {
        const double light = height * M_PI * radius * radius;
        if (light <= e.unexplained) return;
        e.unexplained = light;
        e.unexplainedSigma = sigma * M_PI * radius * radius;
    }
    /// What is no disc stays in the fit that the others' heights come from, and goes now.
    void dropOpenShapes() {
        std::erase_if(m_found.discs, [&](const HaloDisc& d) {
            if (closesAround(m_excess, d.radius / m_pitch, d.hole, d.height * m_unit, m_found.blur / m_pitch)) return false;
            unexplained(d.height, d.heightSigma, d.radius);
            return true;
        });
        if (m_found.discs.empty()) unexplained(m_found.unexplained, m_found.unexplainedSigma, m_found.unexplainedRadius);
    }

    /// Discs lie upon one another: the level at an edge is the sum of those that reach across it.
    HaloRing ringOf(const HaloDisc& d) const {
        const double fluxError = length(f.fluxSigma / f.flux, b.fluxSigma / b.flux);
        HaloRing ring;
        ring.radius = d.radius;
        ring.radiusSigma = length(d.radiusSigma, 0.18 * m_pitch); // rings are a pixel wide
        ring.hole = d.hole, ring.holeSigma = d.holeSigma, ring.holeMost = d.holeMost, ring.holeSeen = d.holeSeen;
        ring.inner = d.hole * d.radius;
        double variance = 0, light = 0;
        for (const HaloDisc& other : m_found.discs) {
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
        measureOffsetOf(ring);
        return ring;
    }

    /// No limit where what is left is more than noise: a shape without an edge all round, unevenness everywhere, light on one side that the baseline does not
    /// have.
    void stateLimit() {
        constexpr double kUneven = 2.5, kOneSided = 6;
        const HaloFound& found = m_found;
        if (found.structure > kUneven || found.limit > 3 * found.limitSigma)
            unexplained(std::max(found.limit, found.limitSigma), found.limitSigma, e.limitRadius);
        const auto last = std::min(m_excess.value.size(), static_cast<std::size_t>(e.limitRadius / m_pitch));
        if (last > m_first + 6) {
            const OneSided own = oneSided(m_excess, m_first, last),
                           theirs = oneSided(b, static_cast<std::size_t>(b.blind), static_cast<std::size_t>(e.limitRadius / m_scale / b.pitch));
            if (own.light > kOneSided * own.sigma && own.light > 1.5 * theirs.light + 3 * theirs.sigma && own.light > e.unexplained)
                e.unexplained = own.light, e.unexplainedSigma = own.sigma;
        }
        if (!(e.unexplained > 0) && found.limitSigma > 0) e.limit = std::max(0.0, found.limit) + 3 * found.limitSigma;
    }

    const HaloProfile &f, &b;
    double m_scale, m_pitch;
    double m_unit;                             ///< from light per stored pixel and unit flux to the plane's
    double m_blur;                             ///< of an edge, stored pixels: a pixel's width and the star image soften it
    std::vector<double> m_taken, m_takenSigma; ///< the star's own light, plane units
    std::size_t m_first = 0;
    HaloSearch m_search;
    Point m_offset;       ///< of the discs' common centre from the star, plane pixels
    HaloProfile m_excess; ///< about that centre
    HaloFound m_found;
    HaloExcess e;
};

} // namespace

double HaloExcess::top() const {
    double out = limit;
    for (const HaloRing& ring : rings) out = std::max(out, ring.plateau);
    return out > 0 || limitRadius <= 0 ? out : unexplained / (M_PI * limitRadius * limitRadius);
}

HaloExcess haloExcess(const HaloProfile& filter, const HaloProfile& baseline, double scale, double obstruction, double expectedRadius) {
    return ExcessOf(filter, baseline, scale).take(obstruction, expectedRadius);
}

} // namespace caelumen
