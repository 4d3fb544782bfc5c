#include "core/grid/predicted.h"

#include "core/base/statistics.h"
#include "core/simulate/scene.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kSubExposure = 180, kFwhm = 3, kStarsPerSquareDegree = 2500;

/// The target's light over its mean, at each pixel, by what it shines with.
struct Shape {
    NebulaMap gas;            ///< lines, for a mean of about one rayleigh of hydrogen
    std::vector<double> glow; ///< continuum
    double mean = 1;
};

Shape targetOf(const PictureWish& w) {
    Shape t;
    constexpr double kPeakOverMean = 4;
    t.gas = makeNebula(w.width, w.height, 8, w.seed, kPeakOverMean);
    t.glow.resize(static_cast<std::size_t>(w.width) * static_cast<std::size_t>(w.height));
    for (int y = 0; y < w.height; ++y)
        for (int x = 0; x < w.width; ++x) {
            double v = t.gas.sample(t.gas.hydrogen, x, y);
            if (w.kind == TargetKind::Galaxy) { // an inclined disc with two arms
                const double dx = (x - 0.5 * w.width) / (0.16 * w.height), dy = (y - 0.5 * w.height) / (0.09 * w.height), r = std::hypot(dx, dy);
                const double arms = 1 + 0.45 * std::cos(2 * std::atan2(dy, dx) - 3.2 * std::log(r + 0.2));
                v = 3 * std::exp(-0.5 * r) * arms + 9 * std::exp(-r * r * 6);
            } else if (w.kind == TargetKind::Stars) {
                v = 0;
            }
            t.glow[static_cast<std::size_t>(y) * static_cast<std::size_t>(w.width) + static_cast<std::size_t>(x)] = v;
        }
    return t;
}

struct Channel {
    double background = 0, read = 0; ///< e-/s/px; read noise as variance of a second
    std::array<double, 4> light{};   ///< e-/s/px of hydrogen, oxygen, sulphur (each of one rayleigh times the wish), continuum
    double star = 0;                 ///< e-/s of a star of V = 0
    double mean() const { return light[0] + light[3]; }
};

double boxSnr(const Channel& c, double signal, double total, double scale) {
    return signal * std::sqrt(total * 100 / (scale * scale) / (c.background + c.read));
}

} // namespace

double fairBrightness(TargetKind kind) {
    return shinesInLines(kind) ? 25 : 24;
}

std::optional<std::array<PredictedPicture, 2>> predictPictures(const GridModel& model, const std::string& filter, const PictureWish& w) {
    const GridInput& in = model.input();
    const std::array<const GridFilter*, 2> filters{in.filter(in.baseline), in.filter(filter)};
    if (!filters[0] || !filters[1] || filters[0]->channels.empty() || filters[1]->channels.empty()) return std::nullopt;
    const PlanRig& rig = in.rig;
    const double brightness = w.brightness.value_or(fairBrightness(w.kind)), clear = std::exp(model.scale()), total = 3600 * w.hours;
    const bool lines = shinesInLines(w.kind);

    std::array<std::vector<Channel>, 2> channels;
    GridQuestion q;
    q.quantity = GridQuantity::Background, q.kind = w.kind;
    for (std::size_t k = 0; k < 2; ++k) {
        const GridCell cell = gridCell(model, q, *filters[k], w.sky);
        for (const GridChannel& g : filters[k]->channels) {
            Channel c;
            const auto level = cell.background.find(g.name);
            if (level == cell.background.end()) return std::nullopt;
            c.background = level->second;
            c.read = rig.readNoise_e * rig.readNoise_e / kSubExposure;
            if (lines)
                for (std::size_t line = 0; line < 3; ++line) c.light[line] = clear * signalRate(g, kTargetKinds[line], brightness, rig);
            else
                c.light[3] = clear * signalRate(g, w.kind, brightness, rig);
            c.star = clear * signalRate(g, TargetKind::Stars, 0, rig) / (rig.scale_arcsec() * rig.scale_arcsec());
            channels[k].push_back(c);
        }
    }
    if (channels[0].size() != channels[1].size()) return std::nullopt;

    // One factor for all channels: the light of the whole target alike in both.
    const auto whole = [&](const std::vector<Channel>& all) {
        double sum = 0;
        for (const Channel& c : all)
            for (std::size_t i = 0; i < 4; ++i) sum += c.light[i] * (i == 1 ? 0.45 : i == 2 ? 0.22 : 1);
        return sum;
    };
    const double open = w.kind == TargetKind::Stars ? channels[0][0].star : whole(channels[0]),
                 with = w.kind == TargetKind::Stars ? channels[1][0].star : whole(channels[1]);
    if (!(open > 0) || !(with > 0.01 * open)) return std::nullopt;
    double asked = 0, askedOpen = 0; // of the light that is asked for
    for (std::size_t c = 0; lines && c < channels[0].size(); ++c)
        asked = std::max(asked, channels[1][c].light[static_cast<std::size_t>(w.kind)]),
        askedOpen = std::max(askedOpen, channels[0][c].light[static_cast<std::size_t>(w.kind)]);
    if (lines && !(asked > 0.01 * askedOpen)) return std::nullopt;

    const Shape target = targetOf(w);
    const auto stars = makeStars(w.width, w.height, 8, w.seed, kStarsPerSquareDegree, rig.scale_arcsec(), 8, 17);
    const double white = 6 * open / static_cast<double>(channels[0].size());

    std::array<PredictedPicture, 2> out;
    for (std::size_t k = 0; k < 2; ++k) {
        PredictedPicture& p = out[k];
        p.filter = filters[k]->id;
        p.width = w.width, p.height = w.height;
        const auto size = static_cast<std::size_t>(w.width) * static_cast<std::size_t>(w.height);
        std::vector<std::vector<float>> grey(channels[k].size(), std::vector<float>(size));
        const double equal = k == 0 ? 1 : open / with;
        tbb::parallel_for(std::size_t(0), channels[k].size(), [&](std::size_t c) {
            const Channel& ch = channels[k][c];
            std::vector<double> light(size);
            for (int y = 0; y < w.height; ++y)
                for (int x = 0; x < w.width; ++x) {
                    const auto at = static_cast<std::size_t>(y) * static_cast<std::size_t>(w.width) + static_cast<std::size_t>(x);
                    light[at] = lines ? ch.light[0] * target.gas.sample(target.gas.hydrogen, x, y) + ch.light[1] * target.gas.sample(target.gas.oxygen, x, y) +
                                            ch.light[2] * target.gas.sample(target.gas.sulphur, x, y)
                                      : ch.light[3] * target.glow[at];
                }
            const double sigma = kFwhm / kSigmaToFwhm;
            for (const SceneStar& s : stars) {
                const double flux = ch.star * std::pow(10, -0.4 * s.v) / (2 * M_PI * sigma * sigma);
                const int reach = s.v < 10 ? 24 : s.v < 13 ? 14 : 8;
                for (int y = std::max(0, static_cast<int>(s.at.y) - reach); y <= std::min(w.height - 1, static_cast<int>(s.at.y) + reach); ++y)
                    for (int x = std::max(0, static_cast<int>(s.at.x) - reach); x <= std::min(w.width - 1, static_cast<int>(s.at.x) + reach); ++x) {
                        const double r2 = std::pow(x - s.at.x, 2) + std::pow(y - s.at.y, 2);
                        if (r2 > reach * reach) continue;
                        light[static_cast<std::size_t>(y) * static_cast<std::size_t>(w.width) + static_cast<std::size_t>(x)] +=
                            flux * std::pow(1 + r2 / (4 * sigma * sigma), -3);
                    }
            }
            Random random(w.seed * 31 + k * 7 + c);
            constexpr double kGround = 0.09, kSoft = 0.12;
            for (std::size_t i = 0; i < size; ++i) {
                const double noise = std::sqrt((ch.background + light[i] + ch.read) / total), rate = light[i] + noise * random.normal();
                const double x = equal * rate / white;
                grey[c][i] = static_cast<float>(std::clamp(kGround + (1 - kGround) * std::asinh(x / kSoft) / std::asinh(1 / kSoft), 0.0, 1.0));
            }
        });
        p.pixels.resize(size);
        const bool colour = grey.size() >= 3;
        for (std::size_t i = 0; i < size; ++i) {
            std::uint32_t rgb = 0xff;
            for (std::size_t c = 0; c < 3; ++c) rgb = rgb << 8 | static_cast<std::uint32_t>(std::lround(255 * static_cast<double>(grey[colour ? c : 0][i])));
            p.pixels[i] = rgb;
        }
        for (const Channel& c : channels[k]) {
            const double signal = lines ? c.light[static_cast<std::size_t>(w.kind)] : c.light[3];
            p.snr = std::max(p.snr, boxSnr(c, signal, total, rig.scale_arcsec()));
        }
    }
    return out;
}

} // namespace caelumen
