#pragma once

#include "core/image/plane.h"
#include "core/stars/mask.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {

/// Hides the disc of `radius` about `c` in the rows top <= y < bottom.
inline void hideDisc(Mask& mask, int top, int bottom, Point c, double radius) {
    const int y0 = std::max(top, static_cast<int>(std::ceil(c.y - radius))), y1 = std::min(bottom - 1, static_cast<int>(std::floor(c.y + radius)));
    constexpr int kTogether = 16; // roots that do not wait for each other
    std::array<double, kTogether> half;
    for (int from = y0; from <= y1; from += kTogether) {
        for (int k = 0; k < kTogether; ++k) {
            const double down = from + k - c.y;
            half[static_cast<std::size_t>(k)] = std::sqrt(std::max(0.0, radius * radius - down * down));
        }
        for (int y = from; y <= std::min(y1, from + kTogether - 1); ++y) {
            const double across = half[static_cast<std::size_t>(y - from)];
            mask.hide(y, std::max(0, static_cast<int>(std::ceil(c.x - across))), std::min(mask.width() - 1, static_cast<int>(std::floor(c.x + across))) + 1);
        }
    }
}

/// A mask for the surroundings of one place, in the plane's pixels; outside of them nothing is hidden.
class PatchMask {
public:
    PatchMask() = default;
    PatchMask(Point centre, int reach)
        : m_x(static_cast<int>(std::lround(centre.x)) - reach)
        , m_y(static_cast<int>(std::lround(centre.y)) - reach)
        , m_side(2 * reach + 1)
        , m_bits(m_side, m_side) {}

    void hide(Point c, double radius) { hideDisc(m_bits, 0, m_side, {c.x - m_x, c.y - m_y}, radius); }
    bool hidden(int x, int y) const {
        const int i = x - m_x, j = y - m_y;
        return i >= 0 && j >= 0 && i < m_side && j < m_side && m_bits.hidden(i, j);
    }

    /// The flags of a row of the plane from `x` on; those of the `n` after it must lie within the patch.
    Flags row(int x, int y) const { return m_bits.row(y - m_y) + (x - m_x); }

private:
    int m_x = 0, m_y = 0, m_side = 0;
    Mask m_bits;
};

} // namespace caelumen
