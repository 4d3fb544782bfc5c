#pragma once

#include "core/base/pixel_rows.h"
#include "core/base/star_rows.h"
#include "core/image/plane.h"

#include <vector>

namespace caelumen {

/// Largest finite values of blocks of rows, -infinity for one without any.
struct BlockMaxima {
    static constexpr int kRows = 64;
    std::vector<float> ofBlock;

    float maximum() const;
};
BlockMaxima blockMaxima(const Plane& plane);

/// How many values reach `low`, and how many of these `high`; only blocks are looked at whose top does.
rows::Counts countAbove(const Plane& plane, const BlockMaxima& maxima, float low, float high);

/// The smallest and the largest value of every stretch of every row (star_rows.h).
class RowExtremes {
public:
    RowExtremes() = default;
    RowExtremes(int width, int height)
        : m_stretches(rows::stretchesOf(width))
        , m_lows(static_cast<std::size_t>(m_stretches) * static_cast<std::size_t>(height))
        , m_highs(m_lows.size()) {}
    bool empty() const { return m_lows.empty(); }
    int stretches() const { return m_stretches; }
    float* lows(int y) { return m_lows.data() + static_cast<std::ptrdiff_t>(y) * m_stretches; }
    float* highs(int y) { return m_highs.data() + static_cast<std::ptrdiff_t>(y) * m_stretches; }
    const float* lows(int y) const { return m_lows.data() + static_cast<std::ptrdiff_t>(y) * m_stretches; }
    const float* highs(int y) const { return m_highs.data() + static_cast<std::ptrdiff_t>(y) * m_stretches; }

private:
    int m_stretches = 0;
    std::vector<float> m_lows, m_highs;
};

/// From stored values to others: (v - zero) * factor.
struct Rescale {
    float zero = 0, factor = 1;
    bool isNone() const { return zero == 0 && factor == 1; }
};

} // namespace caelumen
