#include "core/picture/view_render.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

using Affine = Alignment::Affine;

/// Takes codes of one level of a pyramid along a row of the screen.
class Sampler {
public:
    Sampler(const ViewRun& run, const ViewPlace& place)
        : m_picture(*run.seen.picture) {
        const Affine a = run.fromBaseline.forward();
        const double zoom = m_picture.pitch() / (place.step * std::sqrt(std::abs(a.xx * a.yy - a.xy * a.yx))); // of the screen per pixel of level 0
        while (m_level + 1 < static_cast<int>(m_picture.levels().size()) && zoom * std::pow(2, m_level + 1) <= 1.0001) ++m_level;
        m_smooth = zoom < 2.5;
        const double per = std::pow(2, m_level) * m_picture.pitch(), shift = 0.5 * (per - 1);
        m_width = m_picture.levels()[static_cast<std::size_t>(m_level)].width;
        m_height = m_picture.levels()[static_cast<std::size_t>(m_level)].height;
        m_channels = static_cast<std::size_t>(m_picture.channels());
        for (std::size_t c = 0; c < m_channels; ++c) m_pixels[c] = m_picture.row(m_level, static_cast<int>(c), 0);
        const Point origin = a({place.x, place.y});
        m_map = {a.xx * place.step / per, a.xy * place.step / per,  a.yx * place.step / per,
                 a.yy * place.step / per, (origin.x - shift) / per, (origin.y - shift) / per};
    }

    int channels() const { return m_picture.channels(); }
    const PicturePyramid& picture() const { return m_picture; }

    /// Codes of all channels for `n` pixels of the screen's row y, one channel after the other; 0 without data.
    void row(int y, int n, std::uint16_t* to) const {
        const double x0 = m_map.xy * y + m_map.dx, y0 = m_map.yy * y + m_map.dy;
        for (int x = 0; x < n; ++x, ++to) {
            const double lx = m_map.xx * x + x0, ly = m_map.yx * x + y0;
            if (!(lx >= -0.5 && ly >= -0.5 && lx < m_width - 0.5 && ly < m_height - 0.5))
                for (std::size_t c = 0; c < m_channels; ++c) to[c * static_cast<std::size_t>(n)] = 0;
            else if (m_smooth)
                between(lx, ly, to, static_cast<std::size_t>(n));
            else
                nearest(lx, ly, to, static_cast<std::size_t>(n));
        }
    }

private:
    void nearest(double x, double y, std::uint16_t* to, std::size_t stride) const {
        const auto at =
            static_cast<std::size_t>(static_cast<int>(y + 0.5)) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(static_cast<int>(x + 0.5));
        for (std::size_t c = 0; c < m_channels; ++c) to[c * stride] = m_pixels[c][at];
    }

    void between(double x, double y, std::uint16_t* to, std::size_t stride) const {
        x = std::clamp(x, 0.0, m_width - 1.0), y = std::clamp(y, 0.0, m_height - 1.0);
        const int ix = static_cast<int>(x), iy = static_cast<int>(y);
        const std::size_t at = static_cast<std::size_t>(iy) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(ix),
                          right = ix + 1 < m_width ? 1 : 0, down = iy + 1 < m_height ? static_cast<std::size_t>(m_width) : 0;
        const auto fx = static_cast<std::uint32_t>((x - ix) * 256), fy = static_cast<std::uint32_t>((y - iy) * 256);
        for (std::size_t c = 0; c < m_channels; ++c) {
            const std::uint16_t* p = m_pixels[c] + at;
            const std::uint32_t a = p[0], b = p[right], d = p[down], e = p[down + right];
            if (!a || !b || !d || !e) {
                to[c * stride] = m_pixels[c][static_cast<std::size_t>(static_cast<int>(y + 0.5)) * static_cast<std::size_t>(m_width) +
                                             static_cast<std::size_t>(static_cast<int>(x + 0.5))];
                continue;
            }
            const std::uint64_t top = a * (256 - fx) + b * fx, low = d * (256 - fx) + e * fx;
            to[c * stride] = static_cast<std::uint16_t>((top * (256 - fy) + low * fy + 32768) >> 16);
        }
    }

    const PicturePyramid& m_picture;
    int m_level = 0, m_width = 0, m_height = 0;
    bool m_smooth = true;
    std::size_t m_channels = 1;
    std::array<const std::uint16_t*, 3> m_pixels{}; ///< of the level, by channel
    Affine m_map{};
};

/// Rates of codes times the weight of their channel.
class WeightedRates {
public:
    explicit WeightedRates(const Seen& seen) {
        const int n = seen.picture->channels();
        for (int c = 0; c < n; ++c) {
            const double weight = n == 1 ? 1 : seen.showing.colour ? 1 : seen.showing.weights[static_cast<std::size_t>(c)];
            if (weight == 0) continue;
            auto& t = m_rates[static_cast<std::size_t>(c)];
            t.resize(65536);
            tbb::parallel_for(tbb::blocked_range<int>(0, 65536, 8192), [&](const tbb::blocked_range<int>& r) {
                for (int code = r.begin(); code < r.end(); ++code)
                    t[static_cast<std::size_t>(code)] = static_cast<float>(weight * seen.picture->rate(c, static_cast<std::uint16_t>(code)));
            });
        }
    }

    /// Nothing (NaN) where a channel that counts has no data.
    float operator()(const std::uint16_t* codes, std::size_t stride) const {
        float sum = 0;
        for (std::size_t c = 0; c < 3; ++c) {
            if (m_rates[c].empty()) continue;
            const std::uint16_t code = codes[c * stride];
            if (code == 0) return std::numeric_limits<float>::quiet_NaN();
            sum += m_rates[c][code];
        }
        return sum;
    }

private:
    std::array<std::vector<float>, 3> m_rates;
};

/// Greys of rates between black and white, finely stepped where the scale is steep.
class GreyTable {
public:
    explicit GreyTable(const Stretch& s)
        : m_black(static_cast<float>(s.black))
        , m_perSpan(static_cast<float>(1 / (s.white - s.black))) {
        for (int i = 0; i <= kSteps; ++i) {
            const double u = static_cast<double>(i) / kSteps;
            m_grey[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(std::lround(255 * s.grey(1, s.black + u * u * (s.white - s.black))));
        }
    }
    std::uint32_t operator()(float rate) const {
        const float u = (rate - m_black) * m_perSpan;
        if (!(u > 0)) return 0;
        return u >= 1 ? 255 : m_grey[static_cast<std::size_t>(std::sqrt(u) * kSteps + 0.5F)];
    }

private:
    static constexpr int kSteps = 8191;
    float m_black, m_perSpan;
    std::array<std::uint8_t, kSteps + 1> m_grey{};
};

constexpr std::uint32_t kOpaque = 0xff000000U;

template<class Row>
void eachRow(const ViewPlace& place, Row row) {
    tbb::parallel_for(tbb::blocked_range<int>(0, place.height, 16), [&](const tbb::blocked_range<int>& rows) {
        for (int y = rows.begin(); y < rows.end(); ++y) row(y);
    });
}

} // namespace

struct ViewShades::Tables {
    StretchTable colour;
    std::optional<WeightedRates> rates, baseline;
    std::optional<GreyTable> grey;
};

ViewShades::ViewShades(const Seen& seen, const Stretch& stretch)
    : m_tables(std::make_shared<Tables>()) {
    if (seen.inColour()) {
        m_tables->colour = stretchTable(*seen.picture, stretch);
    } else {
        m_tables->rates.emplace(seen);
        m_tables->grey.emplace(stretch);
    }
}

ViewShades::ViewShades(const Seen& seen, const Seen& baseline)
    : m_tables(std::make_shared<Tables>()) {
    m_tables->rates.emplace(seen);
    m_tables->baseline.emplace(baseline);
}

void renderView(const ViewRun& run, const ViewPlace& place, const ViewShades& shades, PictureTint tint, std::uint32_t* to, std::size_t stride) {
    const Sampler sampler(run, place);
    const auto n = static_cast<std::size_t>(place.width);
    if (run.seen.inColour()) {
        const StretchTable& table = shades.tables().colour;
        eachRow(place, [&](int y) {
            std::vector<std::uint16_t> codes(3 * n);
            sampler.row(y, place.width, codes.data());
            std::uint32_t* out = to + static_cast<std::size_t>(y) * stride;
            for (std::size_t x = 0; x < n; ++x) {
                const std::uint32_t r = table[0][codes[x]], g = table[1][codes[n + x]], b = table[2][codes[2 * n + x]];
                out[x] = tint == PictureTint::Natural ? kOpaque | r << 16 | g << 8 | b : kOpaque | ((r * 3 + g * 4 + b) / 8) << 16;
            }
        });
        return;
    }
    const WeightedRates& rates = *shades.tables().rates;
    const GreyTable& grey = *shades.tables().grey;
    eachRow(place, [&](int y) {
        std::vector<std::uint16_t> codes(static_cast<std::size_t>(sampler.channels()) * n);
        sampler.row(y, place.width, codes.data());
        std::uint32_t* out = to + static_cast<std::size_t>(y) * stride;
        for (std::size_t x = 0; x < n; ++x) {
            const std::uint32_t v = grey(rates(&codes[x], n));
            out[x] = tint == PictureTint::Natural ? kOpaque | v << 16 | v << 8 | v : kOpaque | v << 16;
        }
    });
}

void renderView(const ViewRun& run, const ViewPlace& place, const Stretch& stretch, PictureTint tint, std::uint32_t* to, std::size_t stride) {
    renderView(run, place, ViewShades(run.seen, stretch), tint, to, stride);
}

std::uint32_t ratioColour(double ratio, PictureTint tint) {
    if (!(ratio > 0)) return kOpaque;
    // Evenly lighter, and told apart in all common kinds of colour vision.
    constexpr std::array<std::array<double, 3>, 6> kNodes{{{18, 30, 72}, {44, 74, 122}, {92, 108, 124}, {146, 142, 116}, {205, 182, 92}, {255, 236, 130}}};
    const double t = std::clamp(std::log(ratio / kRatioLow) / std::log(kRatioHigh / kRatioLow), 0.0, 1.0) * (kNodes.size() - 1);
    const auto i = std::min<std::size_t>(static_cast<std::size_t>(t), kNodes.size() - 2);
    std::array<std::uint32_t, 3> v{};
    for (std::size_t c = 0; c < 3; ++c) v[c] = static_cast<std::uint32_t>(std::lround(std::lerp(kNodes[i][c], kNodes[i + 1][c], t - static_cast<double>(i))));
    if (tint == PictureTint::Red) return kOpaque | ((v[0] * 3 + v[1] * 4 + v[2]) / 8) << 16;
    return kOpaque | v[0] << 16 | v[1] << 8 | v[2];
}

void renderRatio(const ViewRun& run, const ViewRun& baseline, const ViewPlace& place, const ViewShades& shades, PictureTint tint, std::uint32_t* to,
                 std::size_t stride) {
    const Sampler above(run, place), below(baseline, place);
    const WeightedRates &rates = *shades.tables().rates, &baseRates = *shades.tables().baseline;
    constexpr int kSteps = 1024;
    std::array<std::uint32_t, kSteps> colours{};
    const double span = std::log2(kRatioHigh / kRatioLow);
    for (int i = 0; i < kSteps; ++i) colours[static_cast<std::size_t>(i)] = ratioColour(kRatioLow * std::exp2(span * i / (kSteps - 1)), tint);
    const auto n = static_cast<std::size_t>(place.width);
    const auto area = static_cast<float>(run.fromBaseline.scale * run.fromBaseline.scale); // its pixels on one of the baseline's
    eachRow(place, [&](int y) {
        std::vector<std::uint16_t> a(static_cast<std::size_t>(above.channels()) * n), b(static_cast<std::size_t>(below.channels()) * n);
        above.row(y, place.width, a.data());
        below.row(y, place.width, b.data());
        std::uint32_t* out = to + static_cast<std::size_t>(y) * stride;
        for (std::size_t x = 0; x < n; ++x) {
            const float v = area * rates(&a[x], n), w = baseRates(&b[x], n);
            if (!(w > 0) || std::isnan(v)) {
                out[x] = kOpaque;
                continue;
            }
            const double t = v > 0 ? std::log2(static_cast<double>(v / w) / kRatioLow) / span : 0;
            out[x] = colours[static_cast<std::size_t>(std::clamp(t, 0.0, 1.0) * (kSteps - 1))];
        }
    });
}

std::optional<std::vector<double>> rateAt(const ViewRun& run, Point p, double step) {
    const Sampler sampler(run, {1, 1, p.x, p.y, step});
    std::array<std::uint16_t, 3> codes{};
    sampler.row(0, 1, codes.data());
    const int n = sampler.channels();
    std::vector<double> rates;
    for (int c = 0; c < n; ++c) {
        if (codes[static_cast<std::size_t>(c)] == 0) return std::nullopt;
        rates.push_back(run.seen.picture->rate(c, codes[static_cast<std::size_t>(c)]));
    }
    if (n == 1 || run.seen.inColour()) return rates;
    double sum = 0;
    for (int c = 0; c < n; ++c) sum += run.seen.showing.weights[static_cast<std::size_t>(c)] * rates[static_cast<std::size_t>(c)];
    return std::vector<double>{sum};
}

} // namespace caelumen
