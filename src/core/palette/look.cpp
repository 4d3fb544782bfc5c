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
    constexpr std::size_t kSample = 100'000; // of a channel: the brightest 0.2 % are 200 of them
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

void screenPixels(const ColourPicture& p, const Look& look, std::uint32_t* to, std::size_t stride) {
    const LookTable table(look);
    tbb::parallel_for(0, p.height, [&](int y) {
        const auto code = [&](std::size_t c, int x) -> std::uint32_t { return table.grey(p.planes[c].at(x, y) - static_cast<float>(p.sky[c])); };
        std::uint32_t* row = to + static_cast<std::size_t>(y) * stride;
        for (int x = 0; x < p.width; ++x) row[x] = 0xff000000U | code(0, x) << 16 | code(1, x) << 8 | code(2, x);
    });
}

} // namespace caelumen
