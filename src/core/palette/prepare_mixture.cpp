#include "core/palette/prepare_mixture.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/palette/layers.h"
#include "core/palette/other_time.h"
#include "core/palette/starless.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// The sky of a layer in star-free cells: its surface as it is measured (plane and radial term), and what of the nebula stands above it.
struct LayerSky {
    Surface surface;
    double level = 0;  ///< where no surface could be fitted
    double signal = 0; ///< of the brightest hundredth of cells
    double at(int x, int y, const Plane& p) const {
        return surface.valid ? surface.at(SurfaceBasis::at({static_cast<double>(x), static_cast<double>(y)}, p.width(), p.height())) : level;
    }
};

LayerSky skyOf(const Plane& p) {
    const PlaneStars stars = findStars(p, kNeverSaturated);
    PlaneView view;
    view.width = p.width(), view.height = p.height();
    const Mask mask = starMask(starDiscs(stars.stars, stars.psf, stars.typicalNoise, 0.1 * stars.typicalNoise, view), view);
    const BackgroundMesh mesh = buildMesh(p, mask, defaultCell(p));
    LayerSky out;
    out.surface = fitSurface(mesh, std::vector<char>(mesh.cells.size(), 0), p.width(), p.height());
    out.level = sampledSky(p).level;
    std::vector<double> above;
    for (const MeshCell& c : mesh.cells)
        if (c.used) above.push_back(c.level - out.at(static_cast<int>(c.centre.x), static_cast<int>(c.centre.y), p));
    constexpr std::size_t kFewest = 20;
    if (above.size() < kFewest) return out;
    std::vector<double> copy = above;
    const double middle = median(std::span<double>(copy));
    out.signal = quantile(above, 0.99) - middle;
    return out;
}

/// Takes the sky off where that is wanted; false where its surface could not be followed and its mean was taken.
bool treatSky(MixLayer& l, bool takeOff) {
    const LayerSky sky = skyOf(l.rate);
    l.signal = sky.signal;
    if (takeOff)
        tbb::parallel_for(0, l.rate.height(), [&](int y) {
            for (int x = 0; x < l.rate.width(); ++x) l.rate.at(x, y) -= static_cast<float>(sky.at(x, y, l.rate));
        });
    return sky.surface.valid;
}

void scaleLayers(PaletteScale scale, Mixture& m) {
    if (scale != PaletteScale::EqualNoise && scale != PaletteScale::EqualSignal) return;
    const bool noise = scale == PaletteScale::EqualNoise;
    const auto of = [&](const MixLayer& l) { return noise ? l.noise : l.signal; };
    const double first = of(m.layers.front());
    for (MixLayer& l : m.layers) {
        const double own = of(l);
        if (!(own > 0) || !(first > 0) || (!noise && own < 0.2 * l.noise)) {
            m.notes.push_back(phrase("{} shows nothing above its sky that its brightness could be matched by; it stays as it is.", l.what));
            continue;
        }
        l.factor = first / own;
        m.done.push_back(phrase("{} times {:.4g}: {} made equal", l.id, l.factor, noise ? phrase("noise") : phrase("signal")));
    }
}

/// All layers in units of their noise: the plane that shows the picture's stars best.
Plane together(const Mixture& m) {
    Plane sum(m.width, m.height, 0);
    tbb::parallel_for(0, m.height, [&](int y) {
        float* to = sum.row(y);
        for (const MixLayer& l : m.layers) {
            const auto by = static_cast<float>(1 / std::max(l.noise, 1e-12));
            const float* from = l.rate.row(y);
            for (int x = 0; x < m.width; ++x) to[x] += by * from[x];
        }
    });
    return sum;
}

PlaneStars starsWithTops(const Plane& plane) {
    PlaneStars out = findStars(plane, kNeverSaturated);
    addBurntOut(plane, out);
    return out;
}

/// How much of a pixel belongs to a star: 1 in its middle, falling to 0 at the rim of its disc.
Plane starWeights(const PlaneStars& stars, int width, int height) {
    Plane weight(width, height, 0);
    PlaneView view;
    view.width = width, view.height = height;
    for (const StarDisc& d : starDiscs(stars.stars, stars.psf, stars.typicalNoise, 0.1 * stars.typicalNoise, view))
        for (int y = std::max(0, static_cast<int>(d.at.y - d.radius)); y <= std::min(height - 1, static_cast<int>(d.at.y + d.radius)); ++y)
            for (int x = std::max(0, static_cast<int>(d.at.x - d.radius)); x <= std::min(width - 1, static_cast<int>(d.at.x + d.radius)); ++x) {
                const double r = std::hypot(x - d.at.x, y - d.at.y) / d.radius;
                if (r < 1) weight.at(x, y) = std::max(weight.at(x, y), static_cast<float>(r < 0.6 ? 1 : (1 - r) / 0.4));
            }
    return weight;
}

/// Each layer's median light of lone stars, in that of the same stars in `reference`.
void measureStarLight(Mixture& m, const PlaneStars& stars, const Plane& reference) {
    std::vector<Star> bright;
    for (const Star& s : stars.stars)
        if (s.snr > 20 && !s.saturated && !s.blended && !s.faint) bright.push_back(s);
    std::sort(bright.begin(), bright.end(), [](const Star& a, const Star& b) { return a.flux > b.flux; });
    constexpr std::size_t kMost = 400;
    if (bright.size() > kMost) bright.resize(kMost);
    const auto fluxes = [&](const Plane& plane) {
        const SmoothSky sky = findingSky(plane);
        ApertureOptions options;
        options.radius = stars.psf ? std::max(2.0, 1.5 * stars.psf->unit.fwhm()) : 4;
        options.pixelNoise = sky.typicalSigma();
        std::vector<ApertureFlux> out(bright.size());
        tbb::parallel_for(std::size_t{0}, bright.size(), [&](std::size_t i) { out[i] = apertureFlux(plane, {}, sky, {bright[i].x, bright[i].y}, options); });
        return out;
    };
    const auto theirs = fluxes(reference);
    for (MixLayer& l : m.layers) {
        const auto own = fluxes(l.rate);
        std::vector<double> ratios;
        for (std::size_t i = 0; i < own.size(); ++i)
            if (own[i].usable && theirs[i].usable && theirs[i].flux > 5 * theirs[i].sigma) ratios.push_back(own[i].flux / theirs[i].flux);
        constexpr std::size_t kFewest = 3;
        l.starLight = ratios.size() >= kFewest ? std::max(0.0, median(std::span<double>(ratios))) : 0;
    }
}

/// Starlight alone, where stars are: elsewhere it would be noise.
Plane starlightOf(const Plane& with, unsigned long long seed) {
    const Starless without = withoutStars(with, starsWithTops(with), 0, seed);
    Plane out(with.width(), with.height(), 0);
    for (std::size_t k = 0; k < without.stars.size(); ++k) {
        const Point at = without.stars[k];
        const double radius = static_cast<double>(without.radii[k]);
        for (int y = std::max(0, static_cast<int>(at.y - radius)); y <= std::min(with.height() - 1, static_cast<int>(at.y + radius)); ++y)
            for (int x = std::max(0, static_cast<int>(at.x - radius)); x <= std::min(with.width() - 1, static_cast<int>(at.x + radius)); ++x)
                if (std::hypot(x - at.x, y - at.y) < radius) out.at(x, y) = with.at(x, y) - without.ground.at(x, y);
    }
    return out;
}

/// Stars that all layers together show where this one was not found to have any: as bright as they are here, which their light elsewhere does not tell. What
/// cannot be seen here is left alone.
std::vector<Star> faintHere(const MixLayer& l, const PlaneStars& found, const PlaneStars& common) {
    const std::optional<Psf>& psf = found.psf ? found.psf : common.psf;
    if (!psf) return {};
    const SmoothSky sky = findingSky(l.rate);
    ApertureOptions options;
    options.radius = std::max(1.5, 0.8 * psf->fwhm);
    options.pixelNoise = l.noise;
    const double enclosed = std::max(0.2, psf->inAperture(options.radius));
    std::vector<const Star*> missing;
    for (const Star& s : common.stars)
        if (!starNear(found.stars, {s.x, s.y}, 2.5)) missing.push_back(&s);
    std::vector<std::optional<Star>> seen(missing.size());
    tbb::parallel_for(std::size_t{0}, missing.size(), [&](std::size_t i) {
        const ApertureFlux f = apertureFlux(l.rate, {}, sky, {missing[i]->x, missing[i]->y}, options);
        constexpr double kSeen = 2;
        if (!f.usable || f.flux < kSeen * f.sigma) return;
        Star s;
        s.x = missing[i]->x, s.y = missing[i]->y;
        s.flux = f.flux / enclosed, s.peak = s.flux * psf->light(0, 0), s.level = sky.level(s.x, s.y);
        s.area = std::max(1, static_cast<int>(M_PI * 0.36 * psf->fwhm * psf->fwhm)), s.snr = f.flux / f.sigma, s.faint = true;
        seen[i] = s;
    });
    std::vector<Star> out;
    for (const auto& s : seen)
        if (s) out.push_back(*s);
    return out;
}

/// A layer without the stars that it or all layers together show.
void takeStars(MixLayer& l, const PlaneStars& common, unsigned long long seed) {
    PlaneStars found = starsWithTops(l.rate);
    for (const Star& s : faintHere(l, found, common)) found.stars.push_back(s);
    l.rate = withoutStars(l.rate, found, l.noise, seed).ground;
}

Status treatStars(const Recipe& recipe, LayerReader& reader, const Job& job, Mixture& m) {
    const bool balance = recipe.scale == PaletteScale::StarColours;
    if (recipe.stars == PaletteStars::Keep && !balance) return Done{};
    job.report(0.6, "Stars");
    const Plane sum = together(m);
    const PlaneStars stars = starsWithTops(sum);
    if (recipe.stars == PaletteStars::Keep || recipe.stars == PaletteStars::Desaturate) {
        if (balance) measureStarLight(m, stars, m.layers.front().rate);
        if (recipe.stars == PaletteStars::Desaturate) m.starWeight = starWeights(stars, m.width, m.height);
        return Done{};
    }
    if (!recipe.starsOnGalaxy && looksLikeGalaxy(sum, stars))
        return Error{phrase(
            "This looks like a galaxy, whose knots look like stars: stars are not taken out of it. Where they are stars, say so: \"also of galaxies\" in "
            "the window, \"galaxy_too\": true beside the mode in a recipe.")};
    if (recipe.stars == PaletteStars::Replace) {
        auto broad = reader.readColour(recipe.starsFrom);
        if (!broad) return broad.error();
        measureStarLight(m, stars, (*broad)[1].rate);
        m.starsWhat = (*broad)[0].what, m.starsNoise = (*broad)[1].noise;
        for (std::size_t c = 0; c < 3; ++c) {
            if (job.cancelled()) return Error{kCancelled};
            m.stars[c] = starlightOf((*broad)[c].rate, 31 + c);
            (*broad)[c].rate = Plane();
        }
    } else if (balance) {
        measureStarLight(m, stars, m.layers.front().rate);
    }
    for (std::size_t i = 0; i < m.layers.size(); ++i) {
        if (job.cancelled()) return Error{kCancelled};
        takeStars(m.layers[i], stars, 11 + i);
    }
    if (m.detail) takeStars(*m.detail, stars, 7);
    m.done.push_back(phrase("{} stars taken out; what they hid is filled from their rims, with noise", stars.stars.size()));
    return Done{};
}

MixLayer mixLayer(PaletteLayer&& from) {
    MixLayer l;
    l.id = std::move(from.id), l.what = std::move(from.what), l.total_s = from.total_s;
    l.rate = std::move(from.rate), l.apart = std::move(from.apart);
    l.noise = from.noise, l.sky = from.sky;
    return l;
}

Result<MixLayer> readDetail(const Recipe& recipe, LayerReader& reader) {
    PaletteInput input = *recipe.detail;
    auto layer = reader.read("detail", input);
    if (!layer && input.channel.empty() && input.line.empty()) { // a colour stack as brightness: its green
        input.channel.assign(1, 'G');
        if (auto green = reader.read("detail", input)) layer = std::move(green);
    }
    if (!layer) return layer.error();
    return mixLayer(std::move(*layer));
}

/// What it takes to show less and more time.
void takeTime(MixLayer& l, bool more, unsigned long long seed) {
    if (l.apart.empty()) l.apart = madeUpNoise(l.rate, l.noise, l.sky, l.total_s, seed);
    if (more) l.foretold = foretoldLight(l.rate, l.apart);
}

} // namespace

Result<Mixture> prepareMixture(const Recipe& recipe, const std::filesystem::path& folder, bool otherTime, const Job& job) {
    const bool time = otherTime || recipe.hours;
    LayerReader reader(folder, job, time);
    Mixture m;
    std::vector<std::string> order{recipe.first};
    for (const auto& [id, input] : recipe.inputs)
        if (id != recipe.first) order.push_back(id);
    for (const std::string& id : order) {
        auto layer = reader.read(id, recipe.inputs.at(id));
        if (!layer) return layer.error();
        m.done.push_back(fmt::format("{} = {}", id, layer->what));
        m.layers.push_back(mixLayer(std::move(*layer)));
    }
    m.width = reader.width(), m.height = reader.height();
    if (recipe.detail) {
        auto detail = readDetail(recipe, reader);
        if (!detail) return detail.error();
        m.detail = std::move(*detail);
    }
    m.realHalves = std::all_of(m.layers.begin(), m.layers.end(), [](const MixLayer& l) { return !l.apart.empty(); });
    const bool takeOff = recipe.background == PaletteBackground::Subtract;
    if (takeOff || time || recipe.scale == PaletteScale::EqualSignal) {
        for (MixLayer& l : m.layers) {
            if (job.cancelled()) return Error{kCancelled};
            if (!treatSky(l, takeOff) && takeOff) m.notes.push_back(phrase("The sky of {} could not be followed; its mean was taken off.", l.what));
        }
        if (m.detail) treatSky(*m.detail, takeOff);
        if (takeOff) m.done.emplace_back(phrase("sky and its gradient taken off"));
    }
    takeLevels(m);
    scaleLayers(recipe.scale, m);
    if (const Status done = treatStars(recipe, reader, job, m); !done) return done.error();
    m.conditions = reader.conditions();
    m.notes.insert(m.notes.end(), reader.notes().begin(), reader.notes().end());
    if (recipe.stars == PaletteStars::Replace || recipe.stars == PaletteStars::None) takeLevels(m);
    if (time) {
        job.report(0.8, phrase("Noise at other times"));
        const bool more = otherTime || (m.layers.front().total_s > 0 && *recipe.hours * 3600 > m.layers.front().total_s);
        for (std::size_t i = 0; i < m.layers.size(); ++i) {
            if (job.cancelled()) return Error{kCancelled};
            takeTime(m.layers[i], more, 101 + i);
        }
        if (m.detail) takeTime(*m.detail, more, 97);
    }
    return m;
}

} // namespace caelumen
