#include "core/palette/look.h"

#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <functional>

namespace caelumen {

double Look::grey(double v) const {
    const double x = (v - black) / soft, top = (white - black) / soft;
    return std::clamp(std::asinh(std::max(0.0, x)) / std::asinh(top), 0.0, 1.0);
}

LookBase lookBase(const ColourPicture& p) {
    // One black and white for the three channels keeps the colours; each channel stands on its own sky.
    LookBase out;
    out.noise = std::max({p.noise[0], p.noise[1], p.noise[2], 1e-12});
    constexpr std::size_t kSample = 40'000; // of a channel: the brightest 0.2 % of all three are 240
    std::vector<double> bright;
    bright.reserve(3 * kSample);
    for (std::size_t c = 0; c < 3; ++c) {
        const Plane& plane = p.planes[c];
        const std::size_t step = std::max<std::size_t>(1, plane.size() / kSample);
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

template<typename Grey>
std::vector<std::uint16_t> coded(const ColourPicture& p, const Grey& grey) {
    std::vector<std::uint16_t> out(3 * p.planes[0].size());
    tbb::parallel_for(0, p.height, [&](int y) {
        std::uint16_t* to = out.data() + 3 * static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width);
        for (int x = 0; x < p.width; ++x)
            for (std::size_t c = 0; c < 3; ++c) {
                const float v = p.planes[c].at(x, y);
                const double g = v == v ? grey(c, static_cast<double>(v)) : 0;
                *to++ = static_cast<std::uint16_t>(std::lround(std::clamp(g, 0.0, 65535.0)));
            }
    });
    return out;
}

} // namespace

std::vector<std::uint16_t> shownPixels(const ColourPicture& p, const Look& look) {
    return coded(p, [&](std::size_t c, double v) { return 65535 * look.grey(v - p.sky[c]); });
}

std::vector<std::uint16_t> linearPixels(const ColourPicture& p, double factor) {
    return coded(p, [&](std::size_t, double v) { return factor * v; });
}

LookTable::LookTable(const Look& look)
    : m_black(static_cast<float>(look.black))
    , m_perRange(static_cast<float>(1 / (look.white - look.black)))
    , m_table(kSteps + 1) {
    for (int i = 0; i <= kSteps; ++i) {
        const double part = static_cast<double>(i) / kSteps;
        m_table[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(std::lround(255 * look.grey(look.black + part * part * (look.white - look.black))));
    }
}

void LookTable::pixels(const std::array<const float*, 3>& light, const std::array<double, 3>& sky, int n, std::uint32_t* to) const {
    constexpr int kPart = 512; // stays in the nearest cache
    std::array<int, kPart> at;
    for (int begin = 0; begin < n; begin += kPart) {
        const int count = std::min(kPart, n - begin);
        std::uint32_t* out = to + begin;
        for (std::size_t c = 0; c < 3; ++c) {
            const float *v = light[c] + begin, zero = static_cast<float>(sky[c]) + m_black, scale = m_perRange, steps = static_cast<float>(kSteps);
            for (int i = 0; i < count; ++i) {
                float part = (v[i] - zero) * scale;
                part = part > 0.0F ? part : 0.0F; // NaN is none
                part = part < 1.0F ? part : 1.0F;
                at[static_cast<std::size_t>(i)] = static_cast<int>(std::sqrt(part) * steps);
            }
            for (int i = 0; i < count; ++i) {
                const std::uint32_t grey = m_table[static_cast<std::size_t>(at[static_cast<std::size_t>(i)])];
                out[i] = c == 0 ? 0xff000000U | grey << 16 : out[i] | grey << (c == 1 ? 8 : 0);
            }
        }
    }
}

void screenPixels(const ColourPicture& p, const Look& look, std::uint32_t* to, std::size_t stride) {
    const LookTable table(look);
    tbb::parallel_for(0, p.height, [&](int y) {
        table.pixels({p.planes[0].row(y), p.planes[1].row(y), p.planes[2].row(y)}, p.sky, p.width, to + static_cast<std::size_t>(y) * stride);
    });
}

} // namespace caelumen
