#include "core/picture/stretch.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

double Stretch::grey(int channel, double rate) const {
    const double v = (rate * balance[static_cast<std::size_t>(channel)] - black) / soft;
    return std::clamp(std::asinh(std::max(0.0, v)) / std::asinh((white - black) / soft), 0.0, 1.0);
}

namespace {

Stretch wished(Stretch s, StretchWish wish) {
    const double span = s.white - s.black;
    s.white = s.black + span * std::pow(8, -wish.brightness);
    s.soft *= std::pow(10, -wish.contrast);
    return s;
}

} // namespace

Stretch sharedStretch(const std::vector<const PicturePyramid*>& runs, const PicturePyramid& baseline, StretchWish wish) {
    Stretch s;
    if (baseline.channels() == 3) {
        const double green = baseline.stats(1).sky;
        for (int c = 0; c < 3; ++c)
            if (baseline.stats(c).sky > 0 && green > 0) s.balance[static_cast<std::size_t>(c)] = std::clamp(green / baseline.stats(c).sky, 0.2, 5.0);
    }
    double low = 1e300, faintest = 1e300, brightest = 0, quietest = 1e300;
    for (const PicturePyramid* run : runs) {
        for (int c = 0; c < run->channels(); ++c) {
            const double balance = run->channels() == 3 ? s.balance[static_cast<std::size_t>(c)] : 1;
            const auto& stats = run->stats(c);
            low = std::min(low, balance * (stats.sky - 2 * stats.noise));
            faintest = std::min(faintest, balance * stats.sky);
            brightest = std::max(brightest, balance * stats.sky);
            quietest = std::min(quietest, balance * stats.noise);
        }
    }
    if (runs.empty()) return s;
    s.black = low;
    // Between the darkest sky's noise and the brightest sky: near logarithmic, so that both are seen in one scale.
    s.soft = std::max(4 * quietest, 0.15 * (brightest - faintest) * std::min(1.0, std::sqrt(quietest / std::max(brightest, 1e-30)) * 4));
    s.white = s.black + std::max(12 * (brightest - s.black), 300 * quietest);
    return wished(s, wish);
}

Stretch ownSkyStretch(const PicturePyramid& run, StretchWish wish) {
    Stretch s;
    double sky = 0, noise = 0;
    for (int c = 0; c < run.channels(); ++c) {
        sky = std::max(sky, run.stats(c).sky);
        noise = std::max(noise, run.stats(c).noise);
    }
    // Skies of all channels are brought to one level, so that the picture's ground is neutral.
    for (int c = 0; c < run.channels(); ++c)
        if (run.stats(c).sky > 0 && sky > 0) s.balance[static_cast<std::size_t>(c)] = std::clamp(sky / run.stats(c).sky, 0.2, 5.0);
    s.black = sky - 1.5 * noise;
    s.soft = 5 * noise;
    s.white = s.black + 250 * noise;
    return wished(s, wish);
}

StretchTable stretchTable(const PicturePyramid& run, const Stretch& stretch) {
    StretchTable table;
    for (int c = 0; c < run.channels(); ++c) {
        auto& t = table[static_cast<std::size_t>(c)];
        t.resize(65536);
        for (int code = 0; code < 65536; ++code)
            t[static_cast<std::size_t>(code)] =
                static_cast<std::uint8_t>(std::lround(255 * stretch.grey(run.channels() == 3 ? c : 1, run.rate(c, static_cast<std::uint16_t>(code)))));
        t[0] = 0; // no data
    }
    return table;
}

void renderTile(const PicturePyramid& run, const StretchTable& table, PictureTint tint, int level, int x0, int y0, int width, int height, std::uint32_t* to,
                std::size_t stride) {
    const bool colour = run.channels() == 3;
    for (int y = 0; y < height; ++y, to += stride) {
        const std::uint16_t* r = run.row(level, 0, y0 + y) + x0;
        const std::uint16_t* g = colour ? run.row(level, 1, y0 + y) + x0 : r;
        const std::uint16_t* b = colour ? run.row(level, 2, y0 + y) + x0 : r;
        const std::uint8_t *tr = table[0].data(), *tg = table[colour ? 1 : 0].data(), *tb = table[colour ? 2 : 0].data();
        if (tint == PictureTint::Natural) {
            for (int x = 0; x < width; ++x)
                to[x] = 0xff000000U | static_cast<std::uint32_t>(tr[r[x]]) << 16 | static_cast<std::uint32_t>(tg[g[x]]) << 8 | tb[b[x]];
        } else {
            for (int x = 0; x < width; ++x) {
                const std::uint32_t grey = (tr[r[x]] * 3U + tg[g[x]] * 4U + tb[b[x]]) / 8U;
                to[x] = 0xff000000U | grey << 16;
            }
        }
    }
}

} // namespace caelumen
