#include "core/measure/star_mask.h"

#include "core/base/pixel_rows.h"
#include "core/stars/patch_mask.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_reduce.h>

#include <algorithm>
#include <functional>
#include <utility>

namespace caelumen {

std::vector<StarDisc> starDiscs(const std::vector<Star>& stars, const std::optional<Psf>& psf, double noise, double left, const PlaneView& view) {
    const double fwhm = psf ? psf->fwhm : 3.0;
    const double beta = psf ? std::clamp(psf->unit.beta, 1.8, 4.0) : 2.5;
    // Light against radius once, in steps of a tenth; it only falls, so that radii are looked up from light.
    std::vector<double> radii, light;
    if (psf)
        for (double r = 1.2 * fwhm; r < 60 * fwhm; r *= 1.1) {
            radii.push_back(r);
            light.push_back(light.empty() ? psf->lightAt(r) : std::min(light.back(), psf->lightAt(r)));
        }
    std::vector<StarDisc> discs;
    discs.reserve(stars.size());
    for (const Star& s : stars) {
        const double isophote = std::sqrt(s.area / M_PI);
        double radius = isophote * std::pow(std::max(1.0, 4 * noise / left), 1 / (2 * beta));
        if (psf && !s.saturated) {
            // Out along the measured wings.
            const auto out = std::partition_point(light.begin(), light.end(), [&](double l) { return s.flux * l > left; });
            const double r = out == light.end() ? radii.back() : radii[static_cast<std::size_t>(out - light.begin())];
            radius = std::min(r, std::max(4.0 * isophote, 6 * fwhm));
            // A neighbour that could not be told apart sticks out to one side.
            radius = std::max(radius, std::min(s.reach + 1, radius + 1.5 * fwhm));
        }
        radius = std::max(radius, 1.2 * fwhm) + 0.5;
        discs.push_back({view.toBaseline({s.x, s.y}), radius / view.scale(), s.flux});
    }
    return discs;
}

std::vector<StarDisc> deepStarDiscs(const std::vector<Star>& stars, const std::optional<Psf>& psf, double noise, const PlaneView& view) {
    std::vector<StarDisc> discs;
    for (double left = 0.02; left < 0.7; left *= 1.7) {
        discs = starDiscs(stars, psf, noise, left * noise, view);
        double area = 0;
        for (const StarDisc& d : discs) area += M_PI * d.radius * d.radius * view.scale() * view.scale();
        // Discs strewn at random hide 1 - exp(-area).
        if (area < 0.7 * view.width * static_cast<double>(view.height)) break;
    }
    return discs;
}

Mask starMask(const std::vector<StarDisc>& discs, const PlaneView& view, const std::vector<StarDisc>* others) {
    std::vector<std::pair<Point, double>> all; // in the plane's pixels
    for (const auto* list : {&discs, others}) {
        if (!list) continue;
        for (const StarDisc& d : *list) {
            const Point p = view.toPlane(d.at);
            const double radius = d.radius * view.scale();
            if (p.x >= -radius && p.y >= -radius && p.x <= view.width + radius && p.y <= view.height + radius) all.emplace_back(p, radius);
        }
    }
    constexpr int kBand = 64; // rows that one thread has for itself
    Mask mask(static_cast<std::size_t>(view.width) * static_cast<std::size_t>(view.height));
    tbb::parallel_for(0, (view.height + kBand - 1) / kBand, [&](int band) {
        const int top = band * kBand, bottom = std::min(view.height, top + kBand);
        const auto row = [&](int y) { return mask.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(view.width); };
        std::fill(row(top), row(bottom), std::uint8_t{0});
        for (const auto& [p, radius] : all)
            if (p.y + radius >= top && p.y - radius < bottom) hideDisc(mask, view.width, top, bottom, p, radius);
    });
    return mask;
}

double hiddenPart(const Mask& mask) {
    if (mask.empty()) return 0;
    const auto hidden = tbb::parallel_reduce(
        tbb::blocked_range<std::size_t>(0, mask.size(), 1 << 20), std::int64_t{0},
        [&](const auto& r, std::int64_t sum) { return sum + rows::count(mask.data() + r.begin(), static_cast<std::int64_t>(r.size())); }, std::plus<>());
    return static_cast<double>(hidden) / static_cast<double>(mask.size());
}

} // namespace caelumen
