#include "core/measure/harvest.h"

#include "core/base/fetch_ahead.h"
#include "core/base/statistics.h"
#include "core/stars/faint_stars.h"
#include "core/stars/sharpness.h"
#include "core/stars/star_grid.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <utility>

namespace caelumen {

SmoothSky findingSky(const Plane& plane) {
    return SmoothSky(sampleMesh(plane, std::clamp(defaultCell(plane), 24, 64)));
}

PlaneStars findStars(const Plane& plane, double knownSaturation, Point split) {
    const SmoothSky sky = findingSky(plane);
    return findStars(plane, sky, {{}, blockMaxima(plane), brightRuns(plane, sky, kDetected)}, knownSaturation, split);
}

FirstLook lookForStars(Plane& plane, const SmoothSky& sky, RowExtremes known) {
    return lookOver(plane, sky, kDetected, known);
}

namespace {

/// Bright stars and the image that they have.
PlaneStars brightStars(const Plane& plane, const SmoothSky& sky, const FirstLook& look, double knownSaturation, Point split) {
    PlaneStars out;
    out.saturation = saturationLevel(plane, knownSaturation, std::isfinite(look.maxima.maximum()) ? look.maxima : blockMaxima(plane));
    out.typicalNoise = sky.typicalSigma();
    if (!(out.typicalNoise > 0)) return out;
    out.stars = detectStars(plane, sky, look.bright, out.saturation);
    out.psf = measurePsf(plane, out.stars, sky, split);
    return out;
}

} // namespace

std::optional<Psf> starImage(const Plane& plane, const SmoothSky& sky, const FirstLook& look, double knownSaturation, Point split) {
    return brightStars(plane, sky, look, knownSaturation, split).psf;
}

PlaneStars findStars(const Plane& plane, const SmoothSky& sky, const FirstLook& look, double knownSaturation, Point split) {
    PlaneStars out = brightStars(plane, sky, look, knownSaturation, split);
    if (!(out.typicalNoise > 0)) return out;
    if (out.psf) keepSharp(plane, out.stars, *out.psf, out.typicalNoise);
    addFaintStars(plane, sky, out.psf ? &*out.psf : nullptr, out.stars);
    return out;
}

std::optional<ScaledStar> starFlux(const Plane& plane, const PlaneStars& stars, Point guess) {
    if (!stars.psf) return std::nullopt;
    const Star* nearest = starNear(stars.stars, guess, std::max(8.0, 3 * stars.psf->fwhm));
    if (!nearest || nearest->saturated) return std::nullopt;
    return scalePsf(plane, *stars.psf, {nearest->x, nearest->y}, std::max(5.0, 2.5 * stars.psf->fwhm), stars.saturation, {});
}

int PlaneStars::counted() const {
    return static_cast<int>(std::count_if(stars.begin(), stars.end(), [](const Star& s) {
        return s.snr >= kCountedStar || s.above5; /* in planes too small for a filtered noise */
    }));
}

std::vector<Point> photometryStars(const PlaneStars& stars, const PlaneView& view, std::size_t limit) {
    std::vector<Point> all;
    for (const Star& s : stars.stars) all.push_back({s.x, s.y});
    const double lonely = stars.psf ? 3.5 * stars.psf->fwhm : 10;
    const StarGrid grid(all, lonely);
    std::vector<Point> out;
    std::vector<char> crowded(all.size(), 0);
    // Brightest first: a star is crowded by a neighbour of a twentieth of its light or more.
    const std::size_t bright = std::min<std::size_t>(all.size(), 6000);
    for (std::size_t i = 0; i < bright; ++i)
        grid.around(all[i], [&](std::size_t j) {
            if (j >= i || std::abs(all[i].x - all[j].x) >= lonely || std::abs(all[i].y - all[j].y) >= lonely) return;
            crowded[i] = 1;
            if (stars.stars[i].flux > 0.05 * stars.stars[j].flux) crowded[j] = 1;
        });
    for (std::size_t i = 0; i < bright && out.size() < limit; ++i) {
        const Star& s = stars.stars[i];
        if (!s.saturated && !s.blended && !s.faint && s.above5 && !crowded[i]) out.push_back(view.toBaseline(all[i]));
    }
    return out;
}

namespace {

double noiseCorrelation(const PlaneHarvest& h) {
    if (h.boxes.onGrid() < 50 || !(h.noise.value > 0)) return 1;
    return std::clamp(boxScatter(h.boxes, h.boxSide, h.noise.value).sigma * h.boxSide / h.noise.value, 1.0, 5.0);
}

/// How far each star is hidden, plane pixels.
std::vector<double> hiddenRadii(const PlaneHarvest& h) {
    const double scale = h.view.scale(), reach = std::max(2.5, 0.7 * (h.stars.psf ? h.stars.psf->fwhm : 3.0) / scale);
    std::vector<Point> places;
    for (const StarDisc& d : *h.discs) places.push_back(d.at);
    const StarGrid grid(places, reach);
    std::vector<double> radii;
    const Alignment::Affine toBaseline = h.view.backward();
    for (const Star& s : h.stars.stars) {
        const auto k = grid.nearest(toBaseline({s.x, s.y}), reach);
        radii.push_back(k >= 0 ? (*h.discs)[static_cast<std::size_t>(k)].radius * scale : 0);
    }
    return radii;
}

void takeRegions(PlaneHarvest& h, const Plane& plane, const Mask& mask, const UnmaskedStarlight& starlight, const HarvestRequest& rq) {
    std::vector<const Region*> skies, summed;
    for (const Region& r : *rq.regions) {
        if (r.role == RegionRole::Sky) skies.push_back(&r);
        if (r.role != RegionRole::HaloStar) summed.push_back(&r);
    }
    std::vector<RegionSum> sums(summed.size() + 1); // each by itself, and all sky pooled
    tbb::parallel_for(std::size_t{0}, sums.size(), [&](std::size_t i) {
        const bool pooled = i == summed.size();
        sums[i] = sumRegions(plane, mask, starlight, rq.view, pooled ? skies : std::vector<const Region*>{summed[i]},
                             !pooled && summed[i]->role == RegionRole::Nebula);
    });
    for (std::size_t i = 0; i < summed.size(); ++i) h.regions[summed[i]->id] = sums[i];
    h.sky = sums.back();
    if (rq.halves) { // stars and nebula make no differences there
        const auto noiseOf = [&](const std::vector<const Region*>& where, RegionSum& sum) {
            std::vector<float> values = regionValues(*rq.halves, mask, rq.view, where, 20'000);
            if (values.size() > 400) sum.pixelSigma = clippedStats(std::span<float>(values)).sigma;
        };
        for (std::size_t i = 0; i < summed.size(); ++i) noiseOf({summed[i]}, h.regions[summed[i]->id]);
        noiseOf(skies, h.sky);
    }
    // Regions of unlike level make a skewed pool without any stars: skewness is each region's own.
    double skew = 0, used = 0;
    for (std::size_t i = 0; i < summed.size(); ++i) {
        if (summed[i]->role != RegionRole::Sky) continue;
        skew += sums[i].skew * static_cast<double>(sums[i].used);
        used += static_cast<double>(sums[i].used);
    }
    if (used > 0) h.sky.skew = skew / used;
    h.skyValues = regionValues(plane, mask, rq.view, skies, 20'000);
}

void takeBoxes(PlaneHarvest& h, const Plane& plane, const Mask& mask, const UnmaskedStarlight& starlight, const HarvestRequest& rq) {
    h.boxSide = boxSide(rq.arcsecPerStoredPixel ? std::optional(*rq.arcsecPerStoredPixel * rq.view.geometry.pitch) : std::nullopt);
    h.boxes = noiseBoxes(plane, mask, h.boxSide, rq.view, *rq.regions, starlight);
    if (rq.halves) h.halfBoxes = noiseBoxes(*rq.halves, mask, h.boxSide, rq.view, *rq.regions);
    h.structure = structureBoxes(plane, mask, h.boxSide, rq.view, rq.grid, starlight);
}

void takeFluxes(PlaneHarvest& h, const Plane& plane, const Mask& mask, const SmoothSky& sky, double correlation, const HarvestRequest& rq) {
    if (!rq.photometry) return;
    ApertureOptions o;
    o.radius = h.apertureRadius = rq.apertureRadius * rq.view.scale();
    o.saturation = h.stars.saturation;
    o.pixelNoise = h.noise.value;
    o.noiseCorrelation = correlation;
    o.photonScale = rq.total_s > 0 ? 1 / rq.total_s : 0;
    std::vector<double> starLight;
    if (h.stars.psf)
        for (double r = 0; r <= SkyRing(o.radius).outer + 1; r += 0.25) starLight.push_back(h.stars.psf->lightAt(r));
    o.starLight = &starLight;
    h.fluxes.resize(rq.photometry->size());
    const int reach = static_cast<int>(std::ceil(SkyRing(o.radius).outer));
    tbb::parallel_for(std::size_t{0}, h.fluxes.size(), [&](std::size_t i) {
        if (i + 1 < h.fluxes.size()) {
            const Point next = rq.view.toPlane((*rq.photometry)[i + 1]);
            fetchAround(plane.data(), plane.width(), plane.height(), next, reach);
            mask.fetch(next, reach);
        }
        h.fluxes[i] = apertureFlux(plane, mask, sky, rq.view.toPlane((*rq.photometry)[i]), o);
    });
}

void takeHalos(PlaneHarvest& h, const Plane& plane, const HarvestRequest& rq) {
    const double reach = std::clamp(rq.haloReach * rq.view.scale(), 30.0, std::max(31.0, 0.48 * std::min(plane.width(), plane.height())));
    std::vector<const Region*> stars;
    for (const Region& r : *rq.regions)
        if (r.role == RegionRole::HaloStar && !r.points.empty()) stars.push_back(&r);
    std::vector<std::optional<Result<HaloProfile>>> profiles(stars.size());
    tbb::parallel_for(std::size_t{0}, stars.size(), [&](std::size_t i) {
        profiles[i] = measureHaloProfile(plane, rq.view.toPlane(stars[i]->points[0]), reach, h.stars.psf, h.stars.stars, h.stars.typicalNoise,
                                         h.stars.saturation, rq.view.geometry.pitch);
    });
    for (std::size_t i = 0; i < stars.size(); ++i) h.halos.emplace(stars[i]->id, std::move(*profiles[i]));
}

} // namespace

PlaneHarvest harvestPlane(const Plane& plane, PlaneStars stars, const HarvestRequest& rq) {
    PlaneHarvest h;
    h.channel = rq.channel;
    h.view = rq.view;
    h.stars = std::move(stars);
    h.discs = rq.discs;
    if (!h.discs) h.discs = std::make_shared<const std::vector<StarDisc>>(commonDiscs({{&h.stars.stars, &h.stars.psf, h.stars.typicalNoise, rq.view}}));

    constexpr double kNothing = 1e-4; // of a pixel's noise: a few hundred stars lie about any place
    Mask mask;
    UnmaskedStarlight starlight;
    tbb::parallel_invoke(
        [&] {
            std::int64_t hidden = 0;
            mask = starMask(*h.discs, rq.view, rq.spare ? std::move(*rq.spare) : Mask(), &hidden);
            h.hiddenPart = static_cast<double>(hidden) / static_cast<double>(std::max<std::size_t>(1, plane.size()));
            h.mesh = buildMesh(plane, mask, defaultCell(plane), h.hiddenPart > 0.5 ? 0.1 : 0.3);
        },
        [&] { starlight = UnmaskedStarlight(h.stars.stars, hiddenRadii(h), h.stars.psf, plane.width(), plane.height(), kNothing * h.stars.typicalNoise); });
    const std::vector<double> inCells = starlight.calibrate(h.mesh, mask);
    for (std::size_t i = 0; i < inCells.size(); ++i) h.mesh.cells[i].level -= inCells[i];
    const SmoothSky sky(h.mesh);

    // Each reads the pixels and writes its own part.
    double correlation = 1;
    const auto noiseIn = [&](const std::vector<Region>& regions) {
        return pixelNoise(rq.halves ? *rq.halves : plane, mask, rq.view, regions, rq.halves ? nullptr : &sky);
    };
    tbb::parallel_invoke([&] { h.noise = noiseIn(*rq.regions); }, [&] { h.frameNoise = noiseIn({}); });
    tbb::parallel_invoke(
        [&] {
            takeBoxes(h, plane, mask, starlight, rq);
            correlation = noiseCorrelation(h);
        },
        [&] { h.banding = measureBanding(plane, mask, sky, h.noise.value); }, [&] { takeHalos(h, plane, rq); },
        [&] { takeRegions(h, plane, mask, starlight, rq); });
    takeFluxes(h, plane, mask, sky, correlation, rq);
    if (rq.spare) *rq.spare = std::move(mask);
    return h;
}

} // namespace caelumen
