#include "core/palette/mixture.h"

#include "core/base/statistics.h"
#include "core/stars/background_mesh.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace caelumen {
namespace {

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

} // namespace

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
        if (l.noise > 0 && l.total_s > 0 && l.signal > 0.2 * l.noise) best = std::max(best, l.signal / l.noise / std::sqrt(l.total_s / 3600));
    }
    return best;
}

Mixture withPlanes(const Mixture& m, const std::function<Plane(const Plane&)>& each) {
    Mixture out;
    const auto plane = [&](const Plane& p) { return p.empty() ? Plane() : each(p); };
    const auto layer = [&](const MixLayer& l) {
        MixLayer to;
        to.id = l.id, to.what = l.what, to.noise = l.noise, to.sky = l.sky, to.signal = l.signal, to.factor = l.factor, to.starLight = l.starLight,
        to.total_s = l.total_s;
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
