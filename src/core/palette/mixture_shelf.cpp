#include "core/palette/mixture_shelf.h"

#include "core/base/statistics.h"
#include "core/stars/background_mesh.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr float kCodes = 65534; // 0 is "no data"

} // namespace

MixtureShelf::MixtureShelf(const Mixture& m)
    : m_rest(withPlanes(m, [](const Plane&) { return Plane(1, 1); })) {
    const auto planes = m.planes();
    const std::size_t size = static_cast<std::size_t>(m.width) * static_cast<std::size_t>(m.height);
    m_pixels = MappedBuffer(planes.size() * size * sizeof(std::uint16_t));
    for (std::size_t i = 0; i < planes.size(); ++i) {
        const Plane& p = *planes[i];
        std::vector<double> some;
        const std::size_t step = std::max<std::size_t>(1, p.size() / 100'000);
        for (std::size_t k = 0; k < p.size(); k += step)
            if (const float v = p.data()[k]; std::isfinite(v)) some.push_back(static_cast<double>(v));
        Code code;
        if (!some.empty()) {
            const double low = quantile(some, 0.0005), middle = median(std::span<double>(some)), high = quantile(some, 0.9995), noise = sampledSky(p).noise;
            const double below = 3 * (middle - low) + 10 * noise;
            code.zero = static_cast<float>(middle - below);
            code.step = static_cast<float>(std::max({noise / 8, (below + 1.5 * (high - middle)) / static_cast<double>(kCodes), 1e-30}));
        }
        m_codes.push_back(code);
        std::uint16_t* to = m_pixels.words() + i * size;
        tbb::parallel_for(0, m.height, [&](int y) {
            const float* from = p.row(y);
            std::uint16_t* row = to + static_cast<std::size_t>(y) * static_cast<std::size_t>(m.width);
            const float per = 1 / code.step;
            for (int x = 0; x < m.width; ++x)
                row[x] = from[x] == from[x] ? static_cast<std::uint16_t>(1 + std::clamp((from[x] - code.zero) * per + 0.5F, 0.0F, kCodes)) : std::uint16_t{0};
        });
    }
}

Mixture MixtureShelf::part(int x0, int y0, int width, int height) const {
    const int left = std::clamp(x0, 0, m_rest.width), top = std::clamp(y0, 0, m_rest.height);
    const int w = std::clamp(x0 + width, left, m_rest.width) - left, h = std::clamp(y0 + height, top, m_rest.height) - top;
    Mixture out = withPlanes(m_rest, [](const Plane&) { return Plane(1, 1); });
    out.width = w, out.height = h;
    const auto planes = out.planes();
    const std::size_t size = static_cast<std::size_t>(m_rest.width) * static_cast<std::size_t>(m_rest.height);
    for (std::size_t i = 0; i < planes.size(); ++i) {
        Plane& p = *planes[i];
        p = Plane::unfilled(w, h);
        const std::uint16_t* from = m_pixels.words() + i * size;
        tbb::parallel_for(0, h, [&](int y) {
            const std::uint16_t* row = from + static_cast<std::size_t>(top + y) * static_cast<std::size_t>(m_rest.width) + static_cast<std::size_t>(left);
            float* to = p.row(y);
            for (int x = 0; x < w; ++x) to[x] = row[x] == 0 ? kNoData : m_codes[i].zero + static_cast<float>(row[x] - 1) * m_codes[i].step;
        });
    }
    return out;
}

} // namespace caelumen
