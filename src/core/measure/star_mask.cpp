#include "core/measure/star_mask.h"

#include "core/stars/patch_mask.h"
#include "core/stars/star_grid.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
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
    const Alignment::Affine toBaseline = view.backward();
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
        discs.push_back({toBaseline({s.x, s.y}), radius / view.scale()});
    }
    return discs;
}

namespace {

/// Adds what a list does not hold yet, and widens what it holds: stars within `reach` are the same.
void join(std::vector<StarDisc>& all, std::vector<StarDisc> more, double reach) {
    if (all.empty()) {
        all = std::move(more);
        return;
    }
    std::vector<Point> places;
    for (const StarDisc& d : all) places.push_back(d.at);
    const StarGrid grid(places, reach);
    std::vector<std::ptrdiff_t> same(more.size());
    tbb::parallel_for(std::size_t{0}, more.size(), [&](std::size_t i) { same[i] = grid.nearest(more[i].at, reach); });
    for (std::size_t i = 0; i < more.size(); ++i) {
        if (same[i] < 0) {
            all.push_back(more[i]);
            continue;
        }
        double& radius = all[static_cast<std::size_t>(same[i])].radius;
        radius = std::max(radius, more[i].radius);
    }
}

} // namespace

std::vector<StarDisc> commonDiscs(const std::vector<MaskSource>& planes) {
    std::vector<StarDisc> all;
    if (planes.empty()) return all;
    for (double left = 0.02; left < 0.7; left *= 1.7) {
        all.clear();
        double area = 0;
        std::vector<std::vector<StarDisc>> each(planes.size());
        tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t i) {
            const MaskSource& p = planes[i];
            each[i] = starDiscs(*p.stars, *p.psf, p.noise, left * p.noise, p.view);
        });
        for (std::size_t i = 0; i < planes.size(); ++i)
            join(all, std::move(each[i]), std::max(2.5, 0.7 * (*planes[i].psf ? (*planes[i].psf)->fwhm : 3.0) / planes[i].view.scale()));
        const PlaneView& view = planes.front().view;
        const Alignment::Affine toPlane = view.forward();
        for (const StarDisc& d : all) {
            const Point at = toPlane(d.at);
            if (at.x > -0.5 && at.y > -0.5 && at.x < view.width && at.y < view.height) area += M_PI * d.radius * d.radius * view.scale() * view.scale();
        }
        // Discs strewn at random hide 1 - exp(-area).
        if (area < 0.7 * view.width * static_cast<double>(view.height)) break;
    }
    return all;
}

Mask starMask(const std::vector<StarDisc>& discs, const PlaneView& view, Mask spare, std::int64_t* hidden) {
    const Alignment::Affine toPlane = view.forward();
    std::vector<std::pair<Point, double>> all; // in the plane's pixels
    for (const StarDisc& d : discs) {
        const Point p = toPlane(d.at);
        const double radius = d.radius * view.scale();
        if (p.x >= -radius && p.y >= -radius && p.x <= view.width + radius && p.y <= view.height + radius) all.emplace_back(p, radius);
    }
    constexpr int kBand = 64; // rows that one thread has for itself
    std::vector<std::vector<std::uint32_t>> ofBand(static_cast<std::size_t>((view.height + kBand - 1) / kBand));
    for (std::size_t i = 0; i < all.size(); ++i) {
        const auto band = [&](double y) { return std::clamp(static_cast<int>(std::floor(y)) / kBand, 0, static_cast<int>(ofBand.size()) - 1); };
        for (int b = band(all[i].first.y - all[i].second), last = band(all[i].first.y + all[i].second); b <= last; ++b)
            ofBand[static_cast<std::size_t>(b)].push_back(static_cast<std::uint32_t>(i));
    }
    Mask mask = Mask::unfilled(view.width, view.height, std::move(spare));
    std::atomic<std::int64_t> count = 0;
    tbb::parallel_for(0, (view.height + kBand - 1) / kBand, [&](int band) {
        const int top = band * kBand, bottom = std::min(view.height, top + kBand);
        mask.show(top, bottom);
        for (const std::uint32_t i : ofBand[static_cast<std::size_t>(band)]) hideDisc(mask, top, bottom, all[i].first, all[i].second);
        if (hidden) count += mask.count(top, bottom);
    });
    if (hidden) *hidden = count;
    return mask;
}

} // namespace caelumen
