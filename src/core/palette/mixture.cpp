#include "core/palette/mixture.h"

#include "core/base/statistics.h"
#include "core/stars/background_mesh.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace caelumen {
namespace {

/// A plane times a number, to be added up.
struct Term {
    const Plane* plane;
    double by;
};

/// What a layer is shown as from `part` of its time, times `by`.
void addLayer(std::vector<Term>& terms, const MixLayer& l, double by, double part) {
    if (by == 0) return; // what counts for nothing leaves no holes
    if (part < 1 && !l.apart.empty()) {
        terms.push_back({&l.rate, by});
        terms.push_back({&l.apart, by * std::sqrt(1 / part - 1)});
    } else if (part > 1 && !l.foretold.empty()) {
        terms.push_back({&l.rate, by / std::sqrt(part)});
        terms.push_back({&l.foretold, by * (1 - 1 / std::sqrt(part))});
    } else {
        terms.push_back({&l.rate, by});
    }
}

/// out[x] of row y: the sum of the terms.
void addUp(const std::vector<Term>& terms, int y, double* out, int n) {
    std::fill_n(out, n, 0.0);
    for (const Term& t : terms) {
        const float* from = t.plane->row(y);
        for (int x = 0; x < n; ++x) out[x] += t.by * static_cast<double>(from[x]);
    }
}

/// Weights of everything, worked out before the pixels are touched.
struct Sums {
    std::array<std::vector<double>, 3> weight; ///< of each layer in each channel
    double part = 1;                           ///< of its time that a layer is shown from
    double detail = 0, share = 0;              ///< factor of the detail layer, and its share
    double stars = 0;
    std::array<double, 3> sky{}; ///< of the matrix alone
};

/// A pixel less the mean of two on its sides: no sky is left, and little of nebula or of a star's wings. So far apart resampled pixels share no noise.
constexpr std::size_t kBeside = 4;
std::size_t stepOf(const Plane& p) {
    constexpr std::size_t kSample = 40'000;
    return std::max<std::size_t>(1, p.size() / kSample) | 1U;
}
double alone(const Plane& p, std::size_t at) {
    const float* v = p.data() + at;
    return static_cast<double>(*v - 0.5F * (v[-static_cast<std::ptrdiff_t>(kBeside)] + v[kBeside])) / std::sqrt(1.5);
}

/// Noise of the sky's pixels: of the quieter blocks, which hold few stars and little nebula.
double pixelNoise(const Plane& p) {
    constexpr int kSide = 40;
    constexpr std::size_t kBlocks = 400;
    const int across = p.width() / kSide, down = p.height() / kSide, all = across * down, step = std::max(1, all / static_cast<int>(kBlocks)) | 1;
    std::vector<double> blocks(static_cast<std::size_t>((all + step - 1) / step), -1);
    tbb::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t n) {
        const int block = static_cast<int>(n) * step, x0 = block % across * kSide, y0 = block / across * kSide;
        std::vector<double> values;
        for (int y = y0; y < y0 + kSide; ++y)
            for (int x = x0 + static_cast<int>(kBeside); x < x0 + kSide - static_cast<int>(kBeside); ++x)
                if (const double d = alone(p, static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width()) + static_cast<std::size_t>(x));
                    std::isfinite(d))
                    values.push_back(d);
        if (values.size() > kSide * kSide / 2) blocks[n] = robustSigma(values);
    });
    std::erase_if(blocks, [](double b) { return b <= 0; });
    if (blocks.empty()) return sampledSky(p).noise;
    constexpr double kQuarterIsLow = 1.02; // of blocks that are all alike the lower quarter lies that much below the middle
    return kQuarterIsLow * quantile(blocks, 0.25);
}

double noiseOf(const Mixture& m, const std::vector<double>& weight) {
    double sum = 0;
    const std::size_t n = m.layers.size();
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = 0; j < n; ++j) sum += weight[i] * weight[j] * m.layers[i].noise * m.layers[j].noise * m.correlation[i * n + j];
    return std::sqrt(std::max(0.0, sum));
}

std::vector<double> meanWeight(const Sums& s) {
    std::vector<double> mean(s.weight[0].size(), 0);
    for (const auto& w : s.weight)
        for (std::size_t i = 0; i < mean.size(); ++i) mean[i] += w[i] / 3;
    return mean;
}

/// Factors that make the picture's stars grey in the mean.
void balanceStars(const Mixture& m, Sums& s, ColourPicture& out) {
    std::array<double, 3> light{};
    for (std::size_t c = 0; c < 3; ++c)
        for (std::size_t i = 0; i < m.layers.size(); ++i) light[c] += s.weight[c][i] * m.layers[i].starLight;
    const double most = *std::max_element(light.begin(), light.end());
    for (std::size_t c = 0; c < 3; ++c) {
        const bool used = std::any_of(s.weight[c].begin(), s.weight[c].end(), [](double w) { return w != 0; });
        if (!used) continue;
        if (!(light[c] > 1e-3 * most)) {
            out.notes.push_back(fmt::format("{} holds too little starlight to be balanced by the stars' colours; it stays as it is.", "RGB"[c]));
            continue;
        }
        const double factor = most / light[c];
        for (double& w : s.weight[c]) w *= factor;
        out.done.push_back(fmt::format("{} times {:.4g}: stars made grey in the mean", "RGB"[c], factor));
    }
}

Sums sumsOf(const Mixture& m, const Recipe& recipe, ColourPicture& out) {
    Sums s;
    for (std::size_t c = 0; c < 3; ++c) {
        s.weight[c].assign(m.layers.size(), 0);
        std::string sum;
        for (const auto& [id, part] : recipe.map[c]) {
            const auto l = std::find_if(m.layers.begin(), m.layers.end(), [&](const MixLayer& x) { return x.id == id; });
            if (l == m.layers.end()) continue;
            s.weight[c][static_cast<std::size_t>(l - m.layers.begin())] = part * l->factor;
            sum += fmt::format("{}{:g} {}", sum.empty() ? "" : " + ", part, id);
        }
        out.done.push_back(fmt::format("{} = {}", "RGB"[c], sum.empty() ? "nothing" : sum));
    }
    if (recipe.scale == PaletteScale::StarColours) balanceStars(m, s, out);
    if (recipe.hours && m.layers.front().total_s > 0) {
        s.part = *recipe.hours * 3600 / m.layers.front().total_s;
        const bool more = s.part > 1;
        const double own = m.layers.front().total_s / 3600;
        if (more ? m.layers.front().foretold.empty() : m.layers.front().apart.empty()) s.part = 1;
        if (s.part != 1)
            out.done.push_back(more           ? fmt::format("PREDICTED as from {:.3g} h by the noise of {:.3g} h", *recipe.hours, own)
                               : m.realHalves ? fmt::format("as from {:.3g} of {:.3g} h, by what odd and even subs differ by", *recipe.hours, own)
                                              : fmt::format("PREDICTED as from {:.3g} of {:.3g} h, with made-up noise", *recipe.hours, own));
    }
    const double timeNoise = 1 / std::sqrt(s.part);
    for (std::size_t c = 0; c < 3; ++c) {
        out.noise[c] = noiseOf(m, s.weight[c]) * timeNoise;
        for (std::size_t i = 0; i < m.layers.size(); ++i) s.sky[c] += s.weight[c][i] * m.layers[i].sky;
        out.sky[c] = s.sky[c];
    }
    if (!m.starWeight.empty()) out.done.push_back(fmt::format("stars desaturated by {:.0f} %", 100 * recipe.starsAmount));
    if (m.detail && recipe.detail) {
        const std::vector<double> mean = meanWeight(s);
        const double own = noiseOf(m, mean), theirs = m.detail->noise;
        s.share = recipe.detailShare;
        s.detail = own > 0 && theirs > 0 ? own / theirs : 1;
        for (std::size_t c = 0; c < 3; ++c) { // a channel less the share of the mean, and the layer's noise beside it
            std::vector<double> left = s.weight[c];
            for (std::size_t i = 0; i < left.size(); ++i) left[i] -= s.share * mean[i];
            out.noise[c] = std::hypot(noiseOf(m, left), s.share * s.detail * theirs) * timeNoise;
        }
        out.done.push_back(
            fmt::format("{} as brightness, share {:.0f} %, times {:.4g} (noise made equal)", m.detail->what, 100 * recipe.detailShare, s.detail));
    }
    if (!m.stars[0].empty()) {
        double own = 0;
        for (std::size_t c = 0; c < 3; ++c) {
            double light = 0;
            for (std::size_t i = 0; i < m.layers.size(); ++i) light += s.weight[c][i] * m.layers[i].starLight;
            own += std::abs(light) / 3;
        }
        // As bright in the mean as the picture's own stars were, so that neither drowns the other.
        s.stars = own > 0 ? own : m.starsNoise > 0 ? noiseOf(m, meanWeight(s)) / m.starsNoise : 1;
        out.done.push_back(fmt::format("stars of {} put in, times {:.4g}", m.starsWhat, s.stars));
    }
    return s;
}

ColourPicture begun(const Mixture& m) {
    ColourPicture out;
    out.width = m.width, out.height = m.height;
    out.done = m.done, out.notes = m.notes, out.conditions = m.conditions;
    return out;
}

} // namespace

ColourPicture mixedLevels(const Mixture& m, const Recipe& recipe) {
    ColourPicture out = begun(m);
    sumsOf(m, recipe, out);
    return out;
}

ColourPicture mix(const Mixture& m, const Recipe& recipe) {
    ColourPicture out = begun(m);
    const Sums s = sumsOf(m, recipe, out);
    std::array<std::vector<Term>, 3> terms;
    std::vector<Term> detail;
    for (std::size_t c = 0; c < 3; ++c) {
        out.planes[c] = Plane::unfilled(m.width, m.height);
        for (std::size_t i = 0; i < m.layers.size(); ++i) addLayer(terms[c], m.layers[i], s.weight[c][i], s.part);
    }
    const bool withDetail = m.detail && recipe.detail && s.share > 0;
    if (withDetail) addLayer(detail, *m.detail, s.detail, s.part);
    const double meanSky = (s.sky[0] + s.sky[1] + s.sky[2]) / 3, detailSky = withDetail ? s.detail * m.detail->sky : 0;
    tbb::parallel_for(0, m.height, [&](int y) {
        const auto n = static_cast<std::size_t>(m.width);
        std::vector<double> room(4 * n);
        std::array<double*, 3> v{room.data(), room.data() + n, room.data() + 2 * n};
        for (std::size_t c = 0; c < 3; ++c) addUp(terms[c], y, v[c], m.width);
        if (!m.starWeight.empty()) {
            const float* weight = m.starWeight.row(y);
            for (std::size_t x = 0; x < n; ++x) {
                if (weight[x] == 0) continue;
                const double mean = (v[0][x] + v[1][x] + v[2][x]) / 3 - meanSky, by = recipe.starsAmount * static_cast<double>(weight[x]);
                for (std::size_t c = 0; c < 3; ++c) v[c][x] += by * (mean + s.sky[c] - v[c][x]);
            }
        }
        if (withDetail) {
            double* d = room.data() + 3 * n;
            addUp(detail, y, d, m.width);
            for (std::size_t x = 0; x < n; ++x) {
                const double more = s.share * ((d[x] - detailSky) - ((v[0][x] + v[1][x] + v[2][x]) / 3 - meanSky));
                if (more == more)
                    for (std::size_t c = 0; c < 3; ++c) v[c][x] += more;
            }
        }
        for (std::size_t c = 0; c < 3; ++c) {
            float* to = out.planes[c].row(y);
            for (std::size_t x = 0; x < n; ++x) to[x] = static_cast<float>(v[c][x]);
            if (m.stars[c].empty()) continue;
            const float *light = m.stars[c].row(y), by = static_cast<float>(s.stars);
            for (std::size_t x = 0; x < n; ++x)
                if (light[x] == light[x]) to[x] += by * light[x];
        }
    });
    return out;
}

std::vector<Plane*> Mixture::planes() {
    std::vector<Plane*> out;
    const auto take = [&](Plane& p) {
        if (!p.empty()) out.push_back(&p);
    };
    for (MixLayer& l : layers) take(l.rate), take(l.apart), take(l.foretold);
    if (detail) take(detail->rate), take(detail->apart), take(detail->foretold);
    for (Plane& p : stars) take(p);
    take(starWeight);
    return out;
}

std::vector<const Plane*> Mixture::planes() const {
    const auto all = const_cast<Mixture*>(this)->planes(); // NOLINT: they are only looked at
    return {all.begin(), all.end()};
}

double Mixture::depthPerHour() const {
    double best = 0;
    for (const MixLayer& l : layers) {
        const double signal = brightestAboveSky(l.rate);
        if (l.noise > 0 && l.total_s > 0 && signal > 0.2 * l.noise) best = std::max(best, signal / l.noise / std::sqrt(l.total_s / 3600));
    }
    return best;
}

double brightestAboveSky(const Plane& plane) {
    std::vector<double> levels;
    for (const MeshCell& c : sampleMesh(plane, defaultCell(plane)).cells)
        if (c.used) levels.push_back(c.level);
    if (levels.size() < 20) return 0;
    std::vector<double> all = levels;
    const double sky = median(std::span<double>(all));
    return quantile(std::span<double>(levels), 0.99) - sky;
}

Mixture withPlanes(const Mixture& m, const std::function<Plane(const Plane&)>& each) {
    Mixture out;
    const auto plane = [&](const Plane& p) { return p.empty() ? Plane() : each(p); };
    const auto layer = [&](const MixLayer& l) {
        MixLayer to;
        to.id = l.id, to.what = l.what, to.noise = l.noise, to.sky = l.sky, to.factor = l.factor, to.starLight = l.starLight, to.total_s = l.total_s;
        to.rate = plane(l.rate), to.apart = plane(l.apart), to.foretold = plane(l.foretold);
        return to;
    };
    for (const MixLayer& l : m.layers) out.layers.push_back(layer(l));
    if (m.detail) out.detail = layer(*m.detail);
    for (std::size_t c = 0; c < 3; ++c) out.stars[c] = plane(m.stars[c]);
    out.starWeight = plane(m.starWeight);
    out.width = m.width, out.height = m.height, out.correlation = m.correlation;
    out.starsWhat = m.starsWhat, out.starsNoise = m.starsNoise, out.realHalves = m.realHalves;
    out.done = m.done, out.conditions = m.conditions, out.notes = m.notes;
    return out;
}

Mixture smaller(const Mixture& m, int factor) {
    Mixture out = withPlanes(m, [factor](const Plane& from) {
        Plane to = Plane::unfilled(from.width() / factor, from.height() / factor);
        tbb::parallel_for(0, to.height(), [&](int y) {
            std::vector<float> sum(static_cast<std::size_t>(from.width()), 0);
            for (int j = 0; j < factor; ++j) {
                const float* row = from.row(factor * y + j);
                for (std::size_t x = 0; x < sum.size(); ++x) sum[x] += row[x];
            }
            for (int x = 0; x < to.width(); ++x) {
                const auto at = sum.begin() + static_cast<std::ptrdiff_t>(x) * factor;
                to.at(x, y) = std::accumulate(at, at + factor, 0.0F) / static_cast<float>(factor * factor);
            }
        });
        return to;
    });
    out.width = m.width / factor, out.height = m.height / factor;
    out.starsNoise = m.starsNoise / factor;
    takeLevels(out);
    return out;
}

void takeLevels(Mixture& m) {
    const auto take = [](MixLayer& l) { l.noise = pixelNoise(l.rate), l.sky = sampledSky(l.rate).level; };
    for (MixLayer& l : m.layers) take(l);
    if (m.detail) take(*m.detail);
    // Sums and differences of two layers tell how their noises go together.
    const std::size_t n = m.layers.size();
    m.correlation.assign(n * n, 0);
    for (std::size_t i = 0; i < n; ++i) m.correlation[i * n + i] = 1;
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = i + 1; j < n; ++j) {
            const MixLayer &a = m.layers[i], &b = m.layers[j];
            if (!(a.noise > 0) || !(b.noise > 0)) continue;
            std::vector<double> sums, differences;
            for (std::size_t k = kBeside; k + kBeside < a.rate.size(); k += stepOf(a.rate)) {
                const double u = alone(a.rate, k) / a.noise, v = alone(b.rate, k) / b.noise;
                if (!std::isfinite(u) || !std::isfinite(v)) continue;
                sums.push_back(u + v), differences.push_back(u - v);
            }
            if (sums.size() < 100) continue;
            const double s = std::pow(robustSigma(sums), 2), d = std::pow(robustSigma(differences), 2);
            if (s + d > 0) m.correlation[i * n + j] = m.correlation[j * n + i] = std::clamp((s - d) / (s + d), -1.0, 1.0);
        }
}

} // namespace caelumen
