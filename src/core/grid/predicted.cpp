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
    NebulaMap gas; ///< lines, for a mean of about one rayleigh of hydrogen
    std::vector<double> continuum;
    double mean = 1;
};

Shape targetOf(const PictureWish& w) {
    Shape t;
    constexpr double kPeakOverMean = 4;
    t.gas = makeNebula(w.width, w.height, 8, w.seed, kPeakOverMean);
    t.continuum.resize(static_cast<std::size_t>(w.width) * static_cast<std::size_t>(w.height));
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
            t.continuum[static_cast<std::size_t>(y) * static_cast<std::size_t>(w.width) + static_cast<std::size_t>(x)] = v;
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

/// Rates of one filter's channels under a sky; nothing where a background is not known.
std::optional<std::vector<Channel>> channelsOf(const GridModel& model, const GridFilter& filter, const PictureWish& w) {
    const PlanRig& rig = model.input().rig;
    const double brightness = w.brightness.value_or(fairBrightness(w.kind)), clear = std::exp(model.scale());
    GridQuestion question;
    question.quantity = GridQuantity::Background, question.kind = w.kind;
    const GridCell cell = gridCell(model, question, filter, w.sky);
    std::vector<Channel> out;
    for (const GridChannel& g : filter.channels) {
        const auto level = cell.background.find(g.name);
        if (level == cell.background.end()) return std::nullopt;
        Channel c;
        c.background = level->second;
        c.read = rig.readNoise_e * rig.readNoise_e / kSubExposure;
        if (shinesInLines(w.kind))
            for (std::size_t line = 0; line < 3; ++line) c.light[line] = clear * signalRate(g, kTargetKinds[line], brightness, rig);
        else
            c.light[3] = clear * signalRate(g, w.kind, brightness, rig);
        c.star = clear * signalRate(g, TargetKind::Stars, 0, rig) / (rig.scale_arcsec() * rig.scale_arcsec());
        out.push_back(c);
    }
    return out;
}

/// The light of the whole target, or of a star, in all channels.
double wholeLight(const std::vector<Channel>& all, TargetKind kind) {
    if (kind == TargetKind::Stars) return all[0].star;
    constexpr std::array kMeans{1.0, 0.45, 0.22, 1.0}; // of the maps that makeNebula draws
    double sum = 0;
    for (const Channel& c : all)
        for (std::size_t i = 0; i < 4; ++i) sum += c.light[i] * kMeans[i];
    return sum;
}

/// The most that any channel has of the light that is asked for.
double lightAskedFor(const std::vector<Channel>& all, TargetKind kind) {
    double most = 0;
    for (const Channel& c : all) most = std::max(most, c.light[static_cast<std::size_t>(kind)]);
    return most;
}

/// What both pictures show: the target and its stars.
class PictureScene {
public:
    PictureScene(const PictureWish& w, const PlanRig& rig)
        : m_wish(w)
        , m_target(targetOf(w))
        , m_stars(makeStars(w.width, w.height, 8, w.seed, kStarsPerSquareDegree, rig.scale_arcsec(), 8, 17)) {}

    /// One channel as a stretched grey. `scale`: from rates to parts of white; `stream`: of its own noise.
    std::vector<float> grey(const Channel& c, double scale, unsigned long long stream) const {
        std::vector<double> light = targetLight(c);
        addStars(c, light);
        Random random(m_wish.seed * 31 + stream);
        constexpr double kGround = 0.09, kSoft = 0.12;
        const double total = 3600 * m_wish.hours;
        std::vector<float> out(light.size());
        for (std::size_t i = 0; i < light.size(); ++i) {
            const double noise = std::sqrt((c.background + light[i] + c.read) / total), x = scale * (light[i] + noise * random.normal());
            out[i] = static_cast<float>(std::clamp(kGround + (1 - kGround) * std::asinh(x / kSoft) / std::asinh(1 / kSoft), 0.0, 1.0));
        }
        return out;
    }

private:
    std::size_t at(int x, int y) const { return static_cast<std::size_t>(y) * static_cast<std::size_t>(m_wish.width) + static_cast<std::size_t>(x); }

    std::vector<double> targetLight(const Channel& c) const {
        std::vector<double> light(m_target.continuum.size());
        const NebulaMap& gas = m_target.gas;
        const bool lines = shinesInLines(m_wish.kind);
        for (int y = 0; y < m_wish.height; ++y)
            for (int x = 0; x < m_wish.width; ++x)
                light[at(x, y)] =
                    lines ? c.light[0] * gas.sample(gas.hydrogen, x, y) + c.light[1] * gas.sample(gas.oxygen, x, y) + c.light[2] * gas.sample(gas.sulphur, x, y)
                          : c.light[3] * m_target.continuum[at(x, y)];
        return light;
    }

    void addStars(const Channel& c, std::vector<double>& light) const {
        const double sigma = kFwhm / kSigmaToFwhm;
        for (const SceneStar& s : m_stars) {
            const double flux = c.star * std::pow(10, -0.4 * s.v) / (2 * M_PI * sigma * sigma);
            const int reach = s.v < 10 ? 24 : s.v < 13 ? 14 : 8;
            for (int y = std::max(0, static_cast<int>(s.at.y) - reach); y <= std::min(m_wish.height - 1, static_cast<int>(s.at.y) + reach); ++y)
                for (int x = std::max(0, static_cast<int>(s.at.x) - reach); x <= std::min(m_wish.width - 1, static_cast<int>(s.at.x) + reach); ++x) {
                    const double r2 = std::pow(x - s.at.x, 2) + std::pow(y - s.at.y, 2);
                    if (r2 > reach * reach) continue;
                    light[at(x, y)] += flux * std::pow(1 + r2 / (4 * sigma * sigma), -3);
                }
        }
    }

    const PictureWish& m_wish;
    Shape m_target;
    std::vector<SceneStar> m_stars;
};

/// Three channels, or the first alone as grey, as 0xffRRGGBB.
std::vector<std::uint32_t> coloured(const std::vector<std::vector<float>>& grey) {
    std::vector<std::uint32_t> out(grey[0].size());
    const bool colour = grey.size() >= 3;
    for (std::size_t i = 0; i < out.size(); ++i) {
        std::uint32_t rgb = 0xff;
        for (std::size_t c = 0; c < 3; ++c) rgb = rgb << 8 | static_cast<std::uint32_t>(std::lround(255 * static_cast<double>(grey[colour ? c : 0][i])));
        out[i] = rgb;
    }
    return out;
}

} // namespace

double fairBrightness(TargetKind kind) {
    return shinesInLines(kind) ? 25 : 24;
}

std::optional<std::array<PredictedPicture, 2>> predictPictures(const GridModel& model, const std::string& filter, const PictureWish& w) {
    const GridInput& in = model.input();
    const std::array<const GridFilter*, 2> filters{in.filter(in.baseline), in.filter(filter)};
    if (!filters[0] || !filters[1] || filters[0]->channels.empty() || filters[1]->channels.empty()) return std::nullopt;
    const auto open = channelsOf(model, *filters[0], w), with = channelsOf(model, *filters[1], w);
    if (!open || !with || open->size() != with->size()) return std::nullopt;
    const double lightOpen = wholeLight(*open, w.kind), lightWith = wholeLight(*with, w.kind);
    if (!(lightOpen > 0) || !(lightWith > 0.01 * lightOpen)) return std::nullopt;
    const bool lines = shinesInLines(w.kind);
    if (lines && !(lightAskedFor(*with, w.kind) > 0.01 * lightAskedFor(*open, w.kind))) return std::nullopt;

    const PictureScene scene(w, in.rig);
    const double white = 6 * lightOpen / static_cast<double>(open->size());
    std::array<PredictedPicture, 2> out;
    for (std::size_t k = 0; k < 2; ++k) {
        const std::vector<Channel>& channels = k == 0 ? *open : *with;
        PredictedPicture& p = out[k];
        p.filter = filters[k]->id;
        p.width = w.width, p.height = w.height;
        // One factor for all channels: the light of the whole target alike in both.
        const double equal = k == 0 ? 1 : lightOpen / lightWith;
        std::vector<std::vector<float>> grey(channels.size());
        tbb::parallel_for(std::size_t(0), channels.size(), [&](std::size_t c) { grey[c] = scene.grey(channels[c], equal / white, k * 7 + c); });
        p.pixels = coloured(grey);
        for (const Channel& c : channels)
            p.snr = std::max(p.snr, boxSnr(c, c.light[lines ? static_cast<std::size_t>(w.kind) : 3], 3600 * w.hours, in.rig.scale_arcsec()));
    }
    return out;
}

} // namespace caelumen
