#include "core/base/phrase.h"
#include "core/palette/mixture.h"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

// The sums that a picture is made of.

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
            out.notes.push_back(phrase("{} holds too little starlight to be balanced by the stars' colours; it stays as it is.", "RGB"[c]));
            continue;
        }
        const double factor = most / light[c];
        for (double& w : s.weight[c]) w *= factor;
        out.done.push_back(phrase("{} times {:.4g}: stars made grey in the mean", "RGB"[c], factor));
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
            out.done.push_back(more           ? phrase("PREDICTED as from {:.3g} h by the noise of {:.3g} h", *recipe.hours, own)
                               : m.realHalves ? phrase("as from {:.3g} of {:.3g} h, by what odd and even subs differ by", *recipe.hours, own)
                                              : phrase("PREDICTED as from {:.3g} of {:.3g} h, with made-up noise", *recipe.hours, own));
    }
    const double timeNoise = 1 / std::sqrt(s.part);
    for (std::size_t c = 0; c < 3; ++c) {
        out.noise[c] = noiseOf(m, s.weight[c]) * timeNoise;
        for (std::size_t i = 0; i < m.layers.size(); ++i) s.sky[c] += s.weight[c][i] * m.layers[i].sky;
        out.sky[c] = s.sky[c];
    }
    if (!m.starWeight.empty()) out.done.push_back(phrase("stars desaturated by {:.0f} %", 100 * recipe.starsAmount));
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
        out.done.push_back(phrase("{} as brightness, share {:.0f} %, times {:.4g} (noise made equal)", m.detail->what, 100 * recipe.detailShare, s.detail));
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
        out.done.push_back(phrase("stars of {} put in, times {:.4g}", m.starsWhat, s.stars));
    }
    return s;
}

ColourPicture begun(const Mixture& m) {
    ColourPicture out;
    out.width = m.width, out.height = m.height;
    out.done = m.done, out.notes = m.notes, out.conditions = m.conditions;
    return out;
}

/// Mixes rows of pixels; for several threads at once, each with room of its own.
class RowMixer {
public:
    RowMixer(const Mixture& m, const Recipe& recipe, ColourPicture& told)
        : m_mixture(m)
        , m_sums(sumsOf(m, recipe, told))
        , m_desaturation(recipe.starsAmount) {
        for (std::size_t c = 0; c < 3; ++c)
            for (std::size_t i = 0; i < m.layers.size(); ++i) addLayer(m_terms[c], m.layers[i], m_sums.weight[c][i], m_sums.part);
        if (m.detail && recipe.detail && m_sums.share > 0) addLayer(m_detail, *m.detail, m_sums.detail, m_sums.part);
        m_meanSky = (m_sums.sky[0] + m_sums.sky[1] + m_sums.sky[2]) / 3;
    }

    std::size_t room() const { return 4 * static_cast<std::size_t>(m_mixture.width); }

    void row(int y, double* room, const std::array<float*, 3>& to) const {
        const auto n = static_cast<std::size_t>(m_mixture.width);
        const std::array<double*, 3> v{room, room + n, room + 2 * n};
        for (std::size_t c = 0; c < 3; ++c) addUp(m_terms[c], y, v[c], m_mixture.width);
        if (!m_mixture.starWeight.empty()) desaturate(m_mixture.starWeight.row(y), v);
        if (!m_detail.empty()) addDetail(y, v, room + 3 * n);
        for (std::size_t c = 0; c < 3; ++c) {
            for (std::size_t x = 0; x < n; ++x) to[c][x] = static_cast<float>(v[c][x]);
            if (m_mixture.stars[c].empty()) continue;
            const float *light = m_mixture.stars[c].row(y), by = static_cast<float>(m_sums.stars);
            for (std::size_t x = 0; x < n; ++x)
                if (light[x] == light[x]) to[c][x] += by * light[x];
        }
    }

private:
    void desaturate(const float* weight, const std::array<double*, 3>& v) const {
        for (int x = 0; x < m_mixture.width; ++x) {
            if (weight[x] == 0) continue;
            const double mean = (v[0][x] + v[1][x] + v[2][x]) / 3 - m_meanSky, by = m_desaturation * static_cast<double>(weight[x]);
            for (std::size_t c = 0; c < 3; ++c) v[c][x] += by * (mean + m_sums.sky[c] - v[c][x]);
        }
    }

    void addDetail(int y, const std::array<double*, 3>& v, double* room) const {
        addUp(m_detail, y, room, m_mixture.width);
        const double sky = m_sums.detail * m_mixture.detail->sky;
        for (int x = 0; x < m_mixture.width; ++x) {
            const double more = m_sums.share * ((room[x] - sky) - ((v[0][x] + v[1][x] + v[2][x]) / 3 - m_meanSky));
            if (more == more)
                for (std::size_t c = 0; c < 3; ++c) v[c][x] += more;
        }
    }

    const Mixture& m_mixture;
    Sums m_sums;
    double m_desaturation;
    std::array<std::vector<Term>, 3> m_terms;
    std::vector<Term> m_detail;
    double m_meanSky = 0;
};

/// Calls `each` with its own room for every row.
template<class Each>
void forRows(const RowMixer& mixer, int height, std::size_t more, const Each& each) {
    tbb::parallel_for(tbb::blocked_range<int>(0, height, 8), [&](const tbb::blocked_range<int>& rows) {
        std::vector<double> room(mixer.room());
        std::vector<float> spare(more);
        for (int y = rows.begin(); y < rows.end(); ++y) each(y, room.data(), spare.data());
    });
}

} // namespace

ColourPicture mixedLevels(const Mixture& m, const Recipe& recipe) {
    ColourPicture out = begun(m);
    sumsOf(m, recipe, out);
    return out;
}

ColourPicture mix(const Mixture& m, const Recipe& recipe) {
    ColourPicture out = begun(m);
    const RowMixer mixer(m, recipe, out);
    for (Plane& p : out.planes) p = Plane::unfilled(m.width, m.height);
    forRows(mixer, m.height, 0, [&](int y, double* room, float*) { mixer.row(y, room, {out.planes[0].row(y), out.planes[1].row(y), out.planes[2].row(y)}); });
    return out;
}

void mixOnScreen(const Mixture& m, const Recipe& recipe, const LookTable& look, std::uint32_t* to, std::size_t stride) {
    ColourPicture told = begun(m);
    const RowMixer mixer(m, recipe, told);
    const auto n = static_cast<std::size_t>(m.width);
    forRows(mixer, m.height, 3 * n, [&](int y, double* room, float* light) {
        mixer.row(y, room, {light, light + n, light + 2 * n});
        look.pixels({light, light + n, light + 2 * n}, told.sky, m.width, to + static_cast<std::size_t>(y) * stride);
    });
}

} // namespace caelumen
