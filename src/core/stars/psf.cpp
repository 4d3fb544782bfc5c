#include "core/stars/psf.h"

#include "core/base/statistics.h"

#include <Eigen/Dense>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

constexpr int kParameters = 8; // amplitude, x, y, base, log-ish shape (3), 1/beta
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

double cost(const std::vector<Sample>& samples, const Vector& p, Point split) {
    const Moffat m = unpack(p);
    double sum = 0;
    for (const Sample& s : samples) {
        const double r = s.value - (m.base + m.amplitude * m.shape(s.x - m.x, s.y - m.y, split));
        sum += r * r;
    }
    return sum;
}

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

void normalEquations(const std::vector<Sample>& samples, const Vector& p, Point split, Matrix& a, Vector& g) {
    const Moffat m = unpack(p);
    const bool two = split.x != 0 || split.y != 0;
    a.setZero();
    g.setZero();
    Vector d, other;
    for (const Sample& s : samples) {
        const double dx = s.x - m.x, dy = s.y - m.y;
        double value = derivatives(m, p, dx + split.x, dy + split.y, d);
        if (two) {
            value = 0.5 * (value + derivatives(m, p, dx - split.x, dy - split.y, other));
            d = 0.5 * (d + other);
        }
        const double r = s.value - (m.base + m.amplitude * value);
        a.noalias() += d * d.transpose();
        g.noalias() += d * r;
    }
}

void keepSane(Vector& p) {
    p[7] = std::clamp(p[7], 1 / 12.0, 1 / 1.4);
    for (int k : {4, 6}) p[k] = std::clamp(std::abs(p[k]), 0.02, 4.0);
    p[5] = std::clamp(p[5], -4.0, 4.0);
}

} // namespace

double Moffat::shape(double dx, double dy) const { return std::exp(-beta * std::log(1 + cxx * dx * dx + 2 * cxy * dx * dy + cyy * dy * dy)); }
double Moffat::flux() const { return amplitude * M_PI / ((beta - 1) * std::sqrt(cxx * cyy - cxy * cxy)); }
double Moffat::fwhm() const { return 2 * std::sqrt(std::pow(2, 1 / beta) - 1) / std::pow(cxx * cyy - cxy * cxy, 0.25); }
double Moffat::eccentricity() const {
    const double mean = 0.5 * (cxx + cyy), spread = length(0.5 * (cxx - cyy), cxy);
    return std::sqrt(std::max(0.0, 1 - (mean - spread) / (mean + spread))); // (b/a)^2 is the ratio of the eigenvalues
}

double Psf::core(double r) const {
    const double det = std::sqrt(unit.cxx * unit.cyy - unit.cxy * unit.cxy);
    return unit.amplitude * std::exp(-unit.beta * std::log(1 + det * r * r));
}

double Psf::lightAt(double r) const {
    const double join = 2 * fwhm;
    if (r <= join || wings.size() < 4) return core(r);
    const double last = static_cast<double>(wings.size()) - 1;
    if (join >= last) return core(r);
    if (r >= last) { // fall on as the core's power law does
        return wings.back() * std::pow(r / last, -2 * std::min(unit.beta, 2.5));
    }
    const auto i = static_cast<std::size_t>(r);
    const double t = r - static_cast<double>(i);
    const double measured = std::exp((1 - t) * std::log(wings[i]) + t * std::log(wings[i + 1]));
    const double blend = std::clamp((r - join) / std::max(1.0, 0.5 * fwhm), 0.0, 1.0);
    return (1 - blend) * core(r) + blend * measured;
}

double Psf::light(double dx, double dy) const {
    const auto at = [&](double x, double y) {
        const double q = unit.cxx * x * x + 2 * unit.cxy * x * y + unit.cyy * y * y;
        return lightAt(std::sqrt(q) / std::pow(unit.cxx * unit.cyy - unit.cxy * unit.cxy, 0.25));
    };
    return split.x == 0 && split.y == 0 ? at(dx, dy) : 0.5 * (at(dx + split.x, dy + split.y) + at(dx - split.x, dy - split.y));
}

double Psf::enclosed(double r) const {
    // Midpoint rule in rings of a quarter pixel.
    const int n = std::max(1, static_cast<int>(std::ceil(r / 0.25)));
    const double step = r / n;
    double sum = 0;
    for (int i = 0; i < n; ++i) sum += 2 * M_PI * (i + 0.5) * step * step * lightAt((i + 0.5) * step);
    return sum;
}

namespace {

/// Azimuthal medians about one star, radius 0, 1, 2 ... pixels, above its local sky.
std::vector<double> radialMedians(const Plane& plane, const Moffat& star, double level, int reach) {
    std::vector<std::vector<float>> rings(static_cast<std::size_t>(reach) + 1);
    const int cx = static_cast<int>(std::lround(star.x)), cy = static_cast<int>(std::lround(star.y));
    for (int y = std::max(0, cy - reach); y <= std::min(plane.height() - 1, cy + reach); ++y) {
        for (int x = std::max(0, cx - reach); x <= std::min(plane.width() - 1, cx + reach); ++x) {
            const auto ring = static_cast<std::size_t>(std::lround(length(x - star.x, y - star.y)));
            if (ring < rings.size() && std::isfinite(plane.at(x, y))) rings[ring].push_back(plane.at(x, y));
        }
    }
    std::vector<double> out(rings.size());
    for (std::size_t i = 0; i < rings.size(); ++i) out[i] = rings[i].empty() ? 0 : median(std::span<float>(rings[i])) - level;
    return out;
}

/// The wings: least-squares amplitude of each radius over the brightest stars, so that the brightest speak where only they are seen.
std::vector<double> measureWings(const Plane& plane, const std::vector<Moffat>& bright, const SmoothSky& sky, double fwhm) {
    const int reach = std::clamp(static_cast<int>(std::lround(12 * fwhm)), 16, 60);
    std::vector<double> sum(static_cast<std::size_t>(reach) + 1), weight = sum;
    std::vector<std::vector<double>> profiles(bright.size()), each(sum.size());
    tbb::parallel_for(std::size_t{0}, bright.size(), [&](std::size_t k) { profiles[k] = radialMedians(plane, bright[k], sky.level(bright[k].x, bright[k].y), reach); });
    for (std::size_t k = 0; k < bright.size(); ++k)
        for (std::size_t i = 0; i < sum.size(); ++i) each[i].push_back(profiles[k][i] / bright[k].flux());
    // Weighted by flux^2 about a clipped centre: one star with a neighbour must not lift the wings.
    std::vector<double> wings;
    for (std::size_t i = 0; i < sum.size(); ++i) {
        auto copy = each[i];
        const double centre = median(std::span<double>(copy));
        const double spread = std::max(robustSigma(copy), 1e-300);
        double s = 0, w = 0, e = 0;
        for (std::size_t k = 0; k < bright.size(); ++k) {
            if (std::abs(each[i][k] - centre) > 4 * spread) continue;
            const double f = bright[k].flux();
            s += f * f * each[i][k];
            w += f * f;
            e += f * f * f * f * spread * spread;
        }
        const double value = w > 0 ? s / w : 0;
        if (!(value > 0) || (i > 3 && value < 2 * std::sqrt(e) / w)) break;
        if (!wings.empty() && value > wings.back() && i > 3) break; // wings only fall
        wings.push_back(value);
    }
    return wings;
}

} // namespace

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
    double now = cost(samples, p, split), damping = 1e-3;
    bool settled = false;
    Matrix a;
    Vector g;
    for (int round = 0; round < 60 && !settled; ++round) {
        normalEquations(samples, p, split, a, g);
        for (int attempt = 0; attempt < 8; ++attempt) {
            Matrix damped = a;
            damped.diagonal() += damping * a.diagonal();
            Vector next = p + damped.ldlt().solve(g);
            if (!next.allFinite()) return std::nullopt;
            keepSane(next);
            const double then = cost(samples, next, split);
            if (then <= now) {
                settled = now - then < 1e-5 * now;
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
    const double scatter = std::max(sigma, std::sqrt(now / static_cast<double>(samples.size())));
    Moffat m = unpack(p);
    const auto before = samples.size();
    std::erase_if(samples, [&](const Sample& s) {
        const double model = m.amplitude * m.shape(s.x - m.x, s.y - m.y, split);
        return std::abs(s.value - m.base - model) > 5 * scatter + 0.1 * model;
    });
    if (samples.size() != before && samples.size() > before * 7 / 10) {
        now = cost(samples, p, split);
        for (int round = 0; round < 12; ++round) {
            normalEquations(samples, p, split, a, g);
            Matrix damped = a;
            damped.diagonal() += 1e-4 * a.diagonal();
            Vector next = p + damped.ldlt().solve(g);
            if (!next.allFinite()) break;
            keepSane(next);
            const double then = cost(samples, next, split);
            if (then > now) break;
            p = next;
            now = then;
        }
        m = unpack(p);
    }
    if (!(m.amplitude > 5 * sigma) || length(m.x, m.y) > 2 * size + 1 || m.fwhm() > 2.0 * reach || m.fwhm() < 0.7) return std::nullopt;
    m.x += star.x;
    m.y += star.y;
    m.base += star.level;
    return m;
}

namespace {

/// Which ninth of the frame, row by row.
std::size_t zoneOf(const Plane& plane, double x, double y) {
    const auto third = [](double v, int size) { return static_cast<std::size_t>(std::clamp(3 * v / size, 0.0, 2.0)); };
    return 3 * third(y, plane.height()) + third(x, plane.width());
}

/// FWHM of the worst corner over that of the centre.
void measureTilt(const Plane& plane, const std::vector<Moffat>& stars, Psf& psf) {
    std::array<std::vector<double>, 9> widths;
    for (const Moffat& m : stars) widths[zoneOf(plane, m.x, m.y)].push_back(m.fwhm());
    const auto settle = [](std::vector<double> v) {
        const double middle = median(std::span<double>(v));
        return std::pair{middle, 1.253 * robustSigma(v) / std::sqrt(static_cast<double>(v.size()))};
    };
    if (widths[4].size() < 5) return;
    const auto [centre, centreSigma] = settle(widths[4]);
    for (const std::size_t corner : {0, 2, 6, 8}) {
        if (widths[corner].size() < 5) continue;
        const auto [there, thereSigma] = settle(widths[corner]);
        if (psf.tilt && there / centre <= *psf.tilt) continue;
        psf.tilt = there / centre;
        psf.tiltSigma = *psf.tilt * length(thereSigma / there, centreSigma / centre);
    }
}

/// How the width grows with the brightness, by least squares on logarithms without outliers.
void measureGrowth(const std::vector<Moffat>& stars, Psf& psf) {
    double n = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    for (const Moffat& m : stars) {
        const double a = std::log(m.amplitude), w = std::log(m.fwhm());
        if (std::abs(w - std::log(psf.fwhm)) > 1) continue;
        n += 1, x += a, y += w, xx += a * a, xy += a * w, yy += w * w;
    }
    const double spread = xx - x * x / std::max(1.0, n);
    if (n < 12 || spread < 0.02 * n) return; // of too much one brightness
    psf.growth = (xy - x * y / n) / spread;
    psf.growthSigma = std::sqrt(std::max(0.0, yy - y * y / n - psf.growth * psf.growth * spread) / (n - 2) / spread);
}

} // namespace

std::optional<Psf> measurePsf(const Plane& plane, const std::vector<Star>& stars, const SmoothSky& sky, Point split) {
    const double sigma = sky.typicalSigma();
    std::vector<const Star*> chosen;
    std::array<int, 9> taken{};
    for (const Star& s : stars) {
        if (s.saturated || s.blended || !s.above5 || s.peak < 12 * sigma) continue;
        if (int& n = taken[zoneOf(plane, s.x, s.y)]; n < 17) {
            ++n;
            chosen.push_back(&s);
        }
    }
    std::vector<std::optional<Moffat>> fits(chosen.size());
    tbb::parallel_for(std::size_t{0}, chosen.size(), [&](std::size_t i) { fits[i] = fitMoffat(plane, *chosen[i], sigma, split); });
    std::vector<Moffat> good;
    for (const auto& f : fits)
        if (f) good.push_back(*f);
    if (good.size() < 3) return std::nullopt;
    const std::vector<Moffat> all = good; // a soft corner must not be cut away as odd
    const auto of = [&](auto member) {
        std::vector<double> v(good.size());
        std::transform(good.begin(), good.end(), v.begin(), member);
        return v;
    };
    // Neighbours, galaxies and knots out: FWHM within 4 robust sigmas of the median.
    auto widths = of([](const Moffat& m) { return m.fwhm(); });
    const double middle = median(std::span<double>(widths));
    const double allowed = std::max(4 * robustSigma(widths), 0.1 * middle);
    std::erase_if(good, [&](const Moffat& m) { return std::abs(m.fwhm() - middle) > allowed; });
    if (good.size() < 3) return std::nullopt;

    Psf psf;
    psf.stars = good.size();
    widths = of([](const Moffat& m) { return m.fwhm(); });
    psf.fwhm = median(std::span<double>(widths));
    const double root = std::sqrt(static_cast<double>(good.size()));
    psf.fwhmSigma = 1.253 * robustSigma(widths) / root;
    auto round = of([](const Moffat& m) { return m.eccentricity(); });
    psf.eccentricity = median(std::span<double>(round));
    psf.eccentricitySigma = 1.253 * robustSigma(round) / root;
    // The wings want the bright ones: beta from the brightest third, weighted to none but by rank.
    std::sort(good.begin(), good.end(), [](const Moffat& a, const Moffat& b) { return a.amplitude > b.amplitude; });
    const std::size_t bright = std::max<std::size_t>(3, good.size() / 3);
    const auto medianOfBright = [&](auto member) {
        std::vector<double> v;
        for (std::size_t i = 0; i < bright; ++i) v.push_back(member(good[i]));
        return median(std::span<double>(v));
    };
    psf.split = split;
    measureTilt(plane, all, psf);
    measureGrowth(good, psf);
    psf.unit.beta = 1 / medianOfBright([](const Moffat& m) { return 1 / m.beta; });
    psf.unit.cxx = medianOfBright([](const Moffat& m) { return m.cxx; });
    psf.unit.cxy = medianOfBright([](const Moffat& m) { return m.cxy; });
    psf.unit.cyy = medianOfBright([](const Moffat& m) { return m.cyy; });
    psf.unit.amplitude = 1;
    psf.unit.amplitude = 1 / psf.unit.flux();
    good.resize(std::min<std::size_t>(good.size(), 40));
    psf.wings = measureWings(plane, good, sky, psf.fwhm);
    return psf;
}

namespace {

/// Offsets of the pixels between two radii, every `step`-th of them.
std::vector<std::pair<int, int>> ringOffsets(double from, double to, std::size_t step) {
    std::vector<std::pair<int, int>> out;
    const int reach = static_cast<int>(std::ceil(to));
    std::size_t n = 0;
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x)
            if (const double rr = x * x + y * y; rr >= from * from && rr <= to * to && n++ % step == 0) out.emplace_back(x, y);
    return out;
}

} // namespace

void keepSharp(const Plane& plane, std::vector<Star>& stars, const Psf& psf, double noise) {
    const double core = std::max(1.0, 0.55 * psf.fwhm), ringIn = 1.3 * psf.fwhm, ringOut = std::max(2.0 * psf.fwhm, ringIn + 1.5);
    const auto middleOffsets = ringOffsets(0, core + 0.8, 1), ringPixels = ringOffsets(ringIn, ringOut, psf.fwhm > 4 ? 2 : 1),
               farPixels = ringOffsets(3.0 * psf.fwhm, 4.2 * psf.fwhm, 1 + static_cast<std::size_t>(psf.fwhm));
    const int reach = static_cast<int>(std::ceil(4.2 * psf.fwhm));
    std::vector<char> drop(stars.size(), 0);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, stars.size(), 256), [&](const tbb::blocked_range<std::size_t>& range) {
        std::vector<float> ring, far;
        for (std::size_t i = range.begin(); i < range.end(); ++i) {
            Star& s = stars[i];
            if (s.saturated) continue;
            const int cx = static_cast<int>(std::lround(s.x)), cy = static_cast<int>(std::lround(s.y));
            const bool inside = plane.contains(cx - reach, cy - reach) && plane.contains(cx + reach, cy + reach);
            const auto gather = [&](const auto& offsets, std::vector<float>& values) {
                values.clear();
                const float* here = plane.data() + static_cast<std::ptrdiff_t>(cy) * plane.width() + cx;
                for (const auto& [dx, dy] : offsets) {
                    if (!inside && !plane.contains(cx + dx, cy + dy)) continue;
                    if (const float v = here[static_cast<std::ptrdiff_t>(dy) * plane.width() + dx]; std::isfinite(v)) values.push_back(v);
                }
            };
            gather(ringPixels, ring);
            double sum = 0, model = 0;
            int n = 0;
            for (const auto& [dx, dy] : middleOffsets) {
                const double x = cx + dx - s.x, y = cy + dy - s.y;
                if (x * x + y * y > core * core || !plane.contains(cx + dx, cy + dy) || !std::isfinite(plane.at(cx + dx, cy + dy))) continue;
                sum += static_cast<double>(plane.at(cx + dx, cy + dy));
                model += psf.light(x, y);
                ++n;
            }
            if (n < 2 || ring.size() < 8) continue;
            // A knot still falls beyond the ring; a star has fallen already. The sky may be the local one or the far ring's, whichever is lower.
            const double level = median(std::span<float>(ring)), middle = sum / n - level;
            const double error = noise * std::sqrt(1.0 / n + 1.6 / static_cast<double>(ring.size()));
            double part = middle / std::max(sum / n - s.level, 1e-300);
            if (part < 0.8) {
                gather(farPixels, far);
                if (far.size() < 8) continue;
                part = std::min(part, middle / std::max(sum / n - median(std::span<float>(far)), 1e-300));
            }
            if (middle < 3.5 * error || (part < 0.45 && (part < 0.2 || middle < 12 * error))) drop[i] = 1;
            else s.flux = std::max(1e-300, middle * n / (model - n * psf.lightAt(0.5 * (ringIn + ringOut))));
        }
    });
    std::size_t i = 0;
    std::erase_if(stars, [&](const Star&) { return drop[i++] != 0; });
    std::stable_sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux > b.flux; });
}

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
                for (int a = std::max(0, x - 1); clean && a <= std::min(plane.width() - 1, x + 1); ++a) clean = !(static_cast<double>(plane.at(a, b)) >= saturation);
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
        const Eigen::Vector4d step = a.ldlt().solve(g);
        if (!step.allFinite()) return std::nullopt;
        flux += step[0];
        base += step[1];
        out.centre.x += std::clamp(step[2], -1.0, 1.0);
        out.centre.y += std::clamp(step[3], -1.0, 1.0);
        if (length(out.centre.x - guess.x, out.centre.y - guess.y) > radius / 2) return std::nullopt;
        out.sigma = std::sqrt(std::max(0.0, a.inverse()(0, 0) * chi / std::max(1.0, weights - 4)));
        if (round > 2 && std::abs(step[0]) < 1e-6 * std::abs(flux)) break;
    }
    if (!(flux > 0)) return std::nullopt;
    out.flux = flux;
    return out;
}

} // namespace caelumen
