#include "core/palette/compose.h"

#include "core/base/statistics.h"
#include "core/palette/layers.h"
#include "core/palette/starless.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Median of the sky's cells.
double skyLevel(const Plane& plane) {
    std::vector<double> levels;
    for (const MeshCell& c : sampleMesh(plane, defaultCell(plane)).cells)
        if (c.used) levels.push_back(c.level);
    return levels.empty() ? 0 : median(std::span<double>(levels));
}

/// Takes the sky's surface off, as it is measured: plane and radial term through star-free cells.
bool takeSky(PaletteLayer& layer) {
    Plane& p = layer.rate;
    const PlaneStars stars = findStars(p, 1e30);
    PlaneView view;
    view.width = p.width(), view.height = p.height();
    const Mask mask = starMask(starDiscs(stars.stars, stars.psf, stars.typicalNoise, 0.1 * stars.typicalNoise, view), view);
    const BackgroundMesh mesh = buildMesh(p, mask, defaultCell(p));
    const Surface surface = fitSurface(mesh, std::vector<char>(mesh.cells.size(), 0), p.width(), p.height());
    if (!surface.valid) {
        const auto sky = static_cast<float>(layer.sky);
        for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] -= sky;
        return false;
    }
    tbb::parallel_for(0, p.height(), [&](int y) {
        for (int x = 0; x < p.width(); ++x)
            p.at(x, y) -= static_cast<float>(surface.at(SurfaceBasis::at({static_cast<double>(x), static_cast<double>(y)}, p.width(), p.height())));
    });
    return true;
}

/// What of the nebula stands above the sky: the brightest hundredth of star-free cells.
double signalOf(const PaletteLayer& layer) {
    std::vector<double> levels;
    for (const MeshCell& c : sampleMesh(layer.rate, defaultCell(layer.rate)).cells)
        if (c.used) levels.push_back(c.level);
    if (levels.size() < 20) return 0;
    std::vector<double> all = levels;
    const double sky = median(std::span<double>(all));
    return quantile(std::span<double>(levels), 0.99) - sky;
}

void scaleLayers(const Recipe& recipe, std::vector<PaletteLayer>& layers, ColourPicture& out) {
    if (recipe.scale == PaletteScale::None) return;
    const bool noise = recipe.scale == PaletteScale::EqualNoise;
    const auto of = [&](const PaletteLayer& l) { return noise ? l.noise : signalOf(l); };
    const double first = of(layers.front());
    for (PaletteLayer& l : layers) {
        const double own = of(l);
        if (!(own > 0) || !(first > 0) || (!noise && own < 2 * l.noise / 10)) {
            out.notes.push_back(fmt::format("{} shows nothing above its sky that its brightness could be matched by; it stays as it is.", l.what));
            continue;
        }
        l.factor = first / own;
        out.done.push_back(fmt::format("{} times {:.4g}: {} made equal", l.id, l.factor, noise ? "noise" : "signal"));
    }
}

/// The picture's own stars, by its brightest channel.
PlaneStars starsOf(const ColourPicture& p) {
    Plane sum(p.planes[0]);
    for (std::size_t c = 1; c < 3; ++c)
        for (std::size_t i = 0; i < sum.size(); ++i) sum.data()[i] += p.planes[c].data()[i];
    PlaneStars out = findStars(sum, 1e30);
    addBurntOut(sum, out);
    return out;
}

/// How much of a pixel belongs to a star: 1 in its middle, falling to 0 at the rim of its disc.
std::vector<float> starWeights(const ColourPicture& p, const PlaneStars& stars) {
    std::vector<float> weight(p.planes[0].size(), 0);
    PlaneView view;
    view.width = p.width, view.height = p.height;
    for (const StarDisc& d : starDiscs(stars.stars, stars.psf, stars.typicalNoise, 0.1 * stars.typicalNoise, view))
        for (int y = std::max(0, static_cast<int>(d.at.y - d.radius)); y <= std::min(p.height - 1, static_cast<int>(d.at.y + d.radius)); ++y)
            for (int x = std::max(0, static_cast<int>(d.at.x - d.radius)); x <= std::min(p.width - 1, static_cast<int>(d.at.x + d.radius)); ++x) {
                const double r = std::hypot(x - d.at.x, y - d.at.y) / d.radius;
                float& w = weight[static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)];
                if (r < 1) w = std::max(w, static_cast<float>(r < 0.6 ? 1 : (1 - r) / 0.4));
            }
    return weight;
}

Status treatStars(const Recipe& recipe, LayerReader& reader, const Job& job, ColourPicture& out) {
    if (recipe.stars == PaletteStars::Keep) return Done{};
    job.report(0.7, "Stars");
    const PlaneStars stars = starsOf(out);
    if (recipe.stars == PaletteStars::Desaturate) {
        const auto weight = starWeights(out, stars);
        const auto amount = static_cast<float>(recipe.starsAmount);
        std::array<float, 3> sky{};
        for (std::size_t c = 0; c < 3; ++c) sky[c] = static_cast<float>(out.sky[c]);
        for (std::size_t i = 0; i < weight.size(); ++i) {
            if (weight[i] == 0) continue;
            float mean = 0;
            for (std::size_t c = 0; c < 3; ++c) mean += (out.planes[c].data()[i] - sky[c]) / 3;
            for (std::size_t c = 0; c < 3; ++c) {
                float& v = out.planes[c].data()[i];
                v += amount * weight[i] * (mean + sky[c] - v);
            }
        }
        out.done.push_back(fmt::format("stars desaturated by {:.0f} %", 100 * recipe.starsAmount));
        return Done{};
    }
    if (!recipe.starsOnGalaxy && looksLikeGalaxy(out.planes[1], stars))
        return Error{"This looks like a galaxy, whose knots look like stars: stars are not taken out of it. Where they are stars, say \"galaxy_too\": true "
                     "beside the mode."};
    for (std::size_t c = 0; c < 3; ++c) {
        if (job.cancelled()) return Error{kCancelled};
        PlaneStars found = findStars(out.planes[c], 1e30);
        addBurntOut(out.planes[c], found);
        // What any channel shows goes from all.
        for (const Star& s : stars.stars)
            if (!starNear(found.stars, {s.x, s.y}, 2.5)) found.stars.push_back(s);
        out.planes[c] = withoutStars(out.planes[c], found, out.noise[c], 11 + c).ground;
    }
    out.done.push_back(fmt::format("{} stars taken out; what they hid is filled from their rims, with noise", stars.stars.size()));
    if (recipe.stars == PaletteStars::None) return Done{};

    auto broad = reader.readColour(recipe.starsFrom);
    if (!broad) return broad.error();
    // As bright as the picture's own stars were in the mean, so that neither drowns the other.
    double own = 0, theirs = 0;
    const PlaneStars bright = findStars((*broad)[1].rate, 1e30);
    for (const Star& s : bright.stars)
        if (const Star* same = starNear(stars.stars, {s.x, s.y}, 2.5); same && s.snr > 20) own += same->flux / 3, theirs += s.flux;
    const double factor = own > 0 && theirs > 0 ? own / theirs : out.noise[1] / std::max(1e-12, (*broad)[1].noise);
    for (std::size_t c = 0; c < 3; ++c) {
        if (job.cancelled()) return Error{kCancelled};
        const Plane& with = (*broad)[c].rate;
        PlaneStars theirStars = findStars(with, 1e30);
        addBurntOut(with, theirStars);
        const Starless ground = withoutStars(with, theirStars, 0, 31 + c);
        // Starlight alone, where stars are: elsewhere it would be noise.
        std::vector<float> inside(with.size(), 0);
        for (std::size_t k = 0; k < ground.stars.size(); ++k) {
            const Point at = ground.stars[k];
            const double radius = static_cast<double>(ground.radii[k]);
            for (int y = std::max(0, static_cast<int>(at.y - radius)); y <= std::min(out.height - 1, static_cast<int>(at.y + radius)); ++y)
                for (int x = std::max(0, static_cast<int>(at.x - radius)); x <= std::min(out.width - 1, static_cast<int>(at.x + radius)); ++x)
                    if (std::hypot(x - at.x, y - at.y) < radius)
                        inside[static_cast<std::size_t>(y) * static_cast<std::size_t>(out.width) + static_cast<std::size_t>(x)] = 1;
        }
        for (std::size_t i = 0; i < inside.size(); ++i) {
            const float light = with.data()[i] - ground.ground.data()[i];
            if (inside[i] > 0 && light == light) out.planes[c].data()[i] += static_cast<float>(factor) * light;
        }
    }
    out.done.push_back(fmt::format("stars of {} put in, times {:.4g}", (*broad)[0].what, factor));
    return Done{};
}

Status addDetail(const Recipe& recipe, LayerReader& reader, ColourPicture& out) {
    if (!recipe.detail) return Done{};
    PaletteInput input = *recipe.detail;
    auto layer = reader.read("detail", input);
    if (!layer && input.channel.empty() && input.line.empty()) { // a colour stack as brightness: its green
        input.channel.assign(1, 'G');
        if (auto green = reader.read("detail", input)) layer = std::move(green);
    }
    if (!layer) return layer.error();
    if (recipe.background == PaletteBackground::Subtract) takeSky(*layer);
    Plane bright(out.planes[0]);
    for (std::size_t i = 0; i < bright.size(); ++i) bright.data()[i] = (out.planes[0].data()[i] + out.planes[1].data()[i] + out.planes[2].data()[i]) / 3;
    PaletteLayer own;
    own.rate = std::move(bright);
    const double mine = signalOf(own), theirs = signalOf(*layer);
    const double factor = mine > 0 && theirs > 0 ? mine / theirs : 1;
    const SmoothSky skyOwn = findingSky(own.rate);
    std::vector<double> ownLevels, layerLevels;
    for (const MeshCell& c : sampleMesh(own.rate, defaultCell(own.rate)).cells)
        if (c.used) ownLevels.push_back(c.level);
    for (const MeshCell& c : sampleMesh(layer->rate, defaultCell(layer->rate)).cells)
        if (c.used) layerLevels.push_back(c.level);
    const double ownSky = ownLevels.empty() ? 0 : median(std::span<double>(ownLevels)),
                 layerSky = layerLevels.empty() ? 0 : median(std::span<double>(layerLevels));
    const auto share = static_cast<float>(recipe.detailShare);
    for (std::size_t i = 0; i < own.rate.size(); ++i) {
        const float d = static_cast<float>(factor * (static_cast<double>(layer->rate.data()[i]) - layerSky) + ownSky) - own.rate.data()[i];
        if (d != d) continue;
        for (std::size_t c = 0; c < 3; ++c) out.planes[c].data()[i] += share * d;
    }
    out.done.push_back(fmt::format("{} as brightness, share {:.0f} %, times {:.4g}", layer->what, 100 * recipe.detailShare, factor));
    return Done{};
}

void describe(ColourPicture& out) {
    for (std::size_t c = 0; c < 3; ++c) {
        out.noise[c] = SmoothSky(sampleMesh(out.planes[c], defaultCell(out.planes[c]))).typicalSigma();
        out.sky[c] = skyLevel(out.planes[c]);
    }
}

} // namespace

Result<ColourPicture> compose(const Recipe& recipe, const std::filesystem::path& folder, const Job& job) {
    LayerReader reader(folder, job);
    ColourPicture out;
    std::vector<PaletteLayer> layers;
    std::vector<std::string> order{recipe.first};
    for (const auto& [id, input] : recipe.inputs)
        if (id != recipe.first) order.push_back(id);
    for (const std::string& id : order) {
        auto layer = reader.read(id, recipe.inputs.at(id));
        if (!layer) return layer.error();
        out.done.push_back(fmt::format("{} = {}", id, layer->what));
        layers.push_back(std::move(*layer));
    }
    out.width = reader.width(), out.height = reader.height();
    if (recipe.background == PaletteBackground::Subtract) {
        for (PaletteLayer& l : layers) {
            if (job.cancelled()) return Error{kCancelled};
            if (!takeSky(l)) out.notes.push_back(fmt::format("The sky of {} could not be followed; its mean was taken off.", l.what));
        }
        out.done.push_back("sky and its gradient taken off");
    }
    scaleLayers(recipe, layers, out);
    job.report(0.6, "Adding up");
    for (std::size_t c = 0; c < 3; ++c) {
        out.planes[c] = Plane(out.width, out.height, 0);
        std::string sum;
        for (const auto& [id, part] : recipe.map[c]) {
            const PaletteLayer& l = *std::find_if(layers.begin(), layers.end(), [&](const PaletteLayer& x) { return x.id == id; });
            const double weight = part * l.factor;
            sum += fmt::format("{}{:g} {}", sum.empty() ? "" : " + ", part, id);
            if (weight == 0) continue; // what counts for nothing leaves no holes
            tbb::parallel_for(0, out.height, [&](int y) {
                float* to = out.planes[c].row(y);
                const float* from = l.rate.row(y);
                for (int x = 0; x < out.width; ++x) to[x] = static_cast<float>(static_cast<double>(to[x]) + weight * static_cast<double>(from[x]));
            });
        }
        out.done.push_back(fmt::format("{} = {}", "RGB"[c], sum.empty() ? "nothing" : sum));
    }
    layers.clear();
    describe(out);
    if (const Status done = treatStars(recipe, reader, job, out); !done) return done.error();
    if (const Status done = addDetail(recipe, reader, out); !done) return done.error();
    describe(out);
    job.report(0.9, "Done");
    return out;
}

double Look::grey(double v) const {
    const double x = (v - black) / soft, top = (white - black) / soft;
    return std::clamp(std::asinh(std::max(0.0, x)) / std::asinh(top), 0.0, 1.0);
}

LookBase lookBase(const ColourPicture& p) {
    // One black and white for the three channels keeps the colours; each channel stands on its own sky.
    LookBase out;
    out.noise = std::max({p.noise[0], p.noise[1], p.noise[2], 1e-12});
    std::vector<double> bright;
    for (std::size_t c = 0; c < 3; ++c) {
        const Plane& plane = p.planes[c];
        const std::size_t step = std::max<std::size_t>(1, plane.size() / 200'000);
        for (std::size_t i = 0; i < plane.size(); i += step)
            if (const float v = plane.data()[i]; v == v) bright.push_back(static_cast<double>(v) - p.sky[c]);
    }
    out.white = bright.empty() ? 1 : std::max(20 * out.noise, quantile(std::span<double>(bright), 0.998));
    return out;
}

Look lookOf(const LookBase& base, double light, double depth) {
    return {-base.noise * (0.5 + 3 * light), base.noise * std::pow(10, 1.3 - 1.6 * depth), base.white};
}

namespace {

std::vector<std::uint16_t> coded(const ColourPicture& p, const std::function<double(std::size_t, double)>& grey) {
    std::vector<std::uint16_t> out(3 * p.planes[0].size());
    tbb::parallel_for(0, p.height, [&](int y) {
        for (int x = 0; x < p.width; ++x)
            for (std::size_t c = 0; c < 3; ++c) {
                const float v = p.planes[c].at(x, y);
                const double g = v == v ? grey(c, static_cast<double>(v)) : 0;
                out[3 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)) + c] =
                    static_cast<std::uint16_t>(std::lround(std::clamp(g, 0.0, 65535.0)));
            }
    });
    return out;
}

} // namespace

std::vector<std::uint16_t> shownPixels(const ColourPicture& p, const Look& look) {
    return coded(p, [&](std::size_t c, double v) { return 65535 * look.grey(v - p.sky[c]); });
}

void screenPixels(const ColourPicture& p, const Look& look, std::uint32_t* to, std::size_t stride) {
    // A table of greys, finer than a screen shows, instead of millions of logarithms. Its steps are even in the root, since greys change fastest next to black.
    constexpr int kSteps = 1 << 15;
    std::vector<std::uint8_t> table(kSteps + 1);
    const double range = look.white - look.black;
    for (int i = 0; i <= kSteps; ++i) {
        const double part = static_cast<double>(i) / kSteps;
        table[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(std::lround(255 * look.grey(look.black + part * part * range)));
    }
    tbb::parallel_for(0, p.height, [&](int y) {
        const auto code = [&](std::size_t c, int x) -> std::uint32_t {
            const float part = (p.planes[c].at(x, y) - static_cast<float>(p.sky[c] + look.black)) / static_cast<float>(range);
            return part > 0 ? table[static_cast<std::size_t>(std::sqrt(std::min(part, 1.0F)) * static_cast<float>(kSteps))] : 0; // NaN is none
        };
        std::uint32_t* row = to + static_cast<std::size_t>(y) * stride;
        for (int x = 0; x < p.width; ++x) row[x] = 0xff000000U | code(0, x) << 16 | code(1, x) << 8 | code(2, x);
    });
}

std::vector<std::uint16_t> linearPixels(const ColourPicture& p, double factor) {
    return coded(p, [&](std::size_t, double v) { return factor * v; });
}

} // namespace caelumen
