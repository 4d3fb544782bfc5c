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

std::vector<PicturePyramid::ChannelStats> Seen::stats() const {
    std::vector<PicturePyramid::ChannelStats> out;
    if (inColour() || picture->channels() == 1) {
        for (int c = 0; c < picture->channels(); ++c) out.push_back(picture->stats(c));
        return out;
    }
    PicturePyramid::ChannelStats sum;
    double variance = 0;
    for (int c = 0; c < picture->channels(); ++c) {
        const double w = showing.weights[static_cast<std::size_t>(c)];
        sum.sky += w * picture->stats(c).sky;
        variance += w * w * picture->stats(c).noise * picture->stats(c).noise;
    }
    sum.noise = std::sqrt(variance);
    return {sum};
}

namespace {

/// What makes the sky of a picture neutral: each channel brought to `level`.
std::array<double, 3> neutral(const Seen& run, double level) {
    std::array<double, 3> balance{1, 1, 1};
    if (!run.inColour() || !(level > 0)) return balance;
    for (int c = 0; c < 3; ++c)
        if (const double sky = run.picture->stats(c).sky; sky > 0) balance[static_cast<std::size_t>(c)] = std::clamp(level / sky, 0.2, 5.0);
    return balance;
}

struct Span {
    double low = 1e300, faintest = 1e300, brightest = -1e300, quietest = 1e300;
};

Span spanOf(const std::vector<Seen>& runs, const std::array<double, 3>& balance) {
    Span s;
    for (const Seen& run : runs) {
        const auto stats = run.stats();
        for (std::size_t c = 0; c < stats.size(); ++c) {
            const double b = stats.size() == 3 ? balance[c] : 1;
            s.low = std::min(s.low, b * (stats[c].sky - 2 * stats[c].noise));
            s.faintest = std::min(s.faintest, b * stats[c].sky);
            s.brightest = std::max(s.brightest, b * stats[c].sky);
            s.quietest = std::min(s.quietest, b * stats[c].noise);
        }
    }
    return s;
}

constexpr double kLinear = 1e5; // softness over the span from which asinh is a straight line to the eye

} // namespace

Stretch sharedStretch(const std::vector<Seen>& runs, const Seen& baseline, StretchWish wish) {
    Stretch s;
    if (runs.empty()) return s;
    s.balance = neutral(baseline, baseline.inColour() ? baseline.picture->stats(1).sky : 0);
    const Span span = spanOf(runs, s.balance);
    s.black = span.low;
    // Between the darkest sky's noise and the brightest sky: near logarithmic, so that both are seen in one scale.
    s.soft =
        std::max(4 * span.quietest, 0.15 * (span.brightest - span.faintest) * std::min(1.0, std::sqrt(span.quietest / std::max(span.brightest, 1e-30)) * 4));
    s.white = s.black + std::max(12 * (span.brightest - s.black), 300 * span.quietest);
    return wished(s, wish);
}

Stretch linearStretch(const std::vector<Seen>& runs, const Seen& baseline, StretchWish wish) {
    Stretch s = sharedStretch(runs, baseline);
    if (runs.empty()) return s;
    const Span span = spanOf(runs, s.balance);
    s.white = s.black + std::max(3 * (span.brightest - s.black), 40 * span.quietest);
    s.white = s.black + (s.white - s.black) * std::pow(8, -wish.brightness) * std::pow(4, -wish.contrast);
    s.soft = kLinear * (s.white - s.black);
    return s;
}

Stretch ownSkyStretch(const Seen& run, StretchWish wish) {
    Stretch s;
    double sky = -1e300, noise = 0;
    for (const auto& c : run.stats()) {
        sky = std::max(sky, c.sky);
        noise = std::max(noise, c.noise);
    }
    s.balance = neutral(run, sky); // so that the picture's ground is neutral
    s.black = sky - 1.5 * noise;
    s.soft = 5 * noise;
    s.white = s.black + 250 * noise;
    return wished(s, wish);
}

double middleOf(const Stretch& s) {
    return s.black + s.soft * std::sinh(0.5 * std::asinh((s.white - s.black) / s.soft));
}

Stretch withMiddle(Stretch s, double middle) {
    // The middle rises from black to half way as the scale goes from logarithmic to linear.
    double low = std::log(1e-6 * (s.white - s.black)), high = std::log(kLinear * (s.white - s.black));
    for (int i = 0; i < 60; ++i) {
        const double half = 0.5 * (low + high);
        s.soft = std::exp(half);
        (middleOf(s) < middle ? low : high) = half;
    }
    return s;
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

} // namespace caelumen
