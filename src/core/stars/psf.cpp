#include "core/stars/psf.h"

#include "core/base/number_rows.h"
#include "core/base/statistics.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {

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
        return lightAt(std::sqrt(q / std::sqrt(unit.cxx * unit.cyy - unit.cxy * unit.cxy)));
    };
    return split.x == 0 && split.y == 0 ? at(dx, dy) : 0.5 * (at(dx + split.x, dy + split.y) + at(dx - split.x, dy - split.y));
}

double Psf::coreLight(const std::vector<Point>& offsets) const {
    thread_local std::vector<double> at;
    const auto n = static_cast<int>(offsets.size());
    const auto sumAt = [&](Point shift) {
        at.clear();
        for (const Point& o : offsets) {
            const double x = o.x + shift.x, y = o.y + shift.y;
            at.push_back(1 + unit.cxx * x * x + 2 * unit.cxy * x * y + unit.cyy * y * y);
        }
        rows::logarithms(at.data(), n, at.data());
        for (double& v : at) v *= -unit.beta;
        rows::exponentials(at.data(), n, at.data());
        double sum = 0;
        for (const double v : at) sum += v;
        return unit.amplitude * sum;
    };
    return split.x == 0 && split.y == 0 ? sumAt({}) : 0.5 * (sumAt(split) + sumAt({-split.x, -split.y}));
}

double Psf::enclosed(double r) const {
    // Midpoint rule in rings of a twentieth of a pixel: of a quarter, it is wrong by a third of a per cent for sharp stars.
    const int n = std::max(1, static_cast<int>(std::ceil(r / 0.05)));
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
    tbb::parallel_for(std::size_t{0}, bright.size(),
                      [&](std::size_t k) { profiles[k] = radialMedians(plane, bright[k], sky.level(bright[k].x, bright[k].y), reach); });
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

namespace {

/// Which ninth of the frame, row by row.
std::size_t zoneOf(const Plane& plane, double x, double y) {
    const auto third = [](double v, int size) { return static_cast<std::size_t>(std::clamp(3 * v / size, 0.0, 2.0)); };
    return 3 * third(y, plane.height()) + third(x, plane.width());
}

/// FWHM of the worst corner over that of the centre.
void measureTilt(const Plane& plane, const std::vector<Moffat>& stars, Psf& psf) {
    std::array<std::vector<double>, 9> widths;
    for (const Moffat& m : stars) {
        widths[zoneOf(plane, m.x, m.y)].push_back(m.fwhm());
        psf.widths.push_back({{m.x, m.y}, m.fwhm()});
    }
    const auto settle = [](std::vector<double> v) {
        const double middle = median(std::span<double>(v));
        return std::pair{middle, medianSigma(v)};
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
    psf.fwhmSigma = medianSigma(widths);
    auto round = of([](const Moffat& m) { return m.eccentricity(); });
    psf.eccentricity = median(std::span<double>(round));
    psf.eccentricitySigma = medianSigma(round);
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

} // namespace caelumen
