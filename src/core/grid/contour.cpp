#include "core/grid/contour.h"

#include <array>
#include <cmath>

namespace caelumen {

std::vector<ContourPiece> contour(const ValueGrid& l, double level) {
    std::vector<ContourPiece> out;
    for (std::size_t row = 0; row + 1 < l.rows; ++row)
        for (std::size_t column = 0; column + 1 < l.columns; ++column) {
            // Corners clockwise from the first; each edge lies between one and the next.
            const std::array<double, 4> v{l.at(column, row), l.at(column + 1, row), l.at(column + 1, row + 1), l.at(column, row + 1)};
            constexpr std::array<Point, 4> corner{{{0, 0}, {1, 0}, {1, 1}, {0, 1}}};
            std::array<Point, 4> cut;
            std::array<bool, 4> isCut{};
            std::size_t cuts = 0;
            for (std::size_t k = 0; k < 4; ++k) {
                const double a = v[k] - level, b = v[(k + 1) % 4] - level;
                if (!std::isfinite(a) || !std::isfinite(b) || (a < 0) == (b < 0)) continue;
                const double t = a / (a - b);
                const Point from = corner[k], to = corner[(k + 1) % 4];
                cut[k] = {static_cast<double>(column) + from.x + t * (to.x - from.x), static_cast<double>(row) + from.y + t * (to.y - from.y)};
                isCut[k] = true;
                ++cuts;
            }
            if (cuts == 2) {
                std::array<Point, 2> ends;
                std::size_t n = 0;
                for (std::size_t k = 0; k < 4; ++k)
                    if (isCut[k]) ends[n++] = cut[k];
                out.push_back({ends[0], ends[1]});
            } else if (cuts == 4) {
                const bool middle = 0.25 * (v[0] + v[1] + v[2] + v[3]) < level, first = v[0] < level;
                // The middle joins the first corner with the one across, or parts them.
                const std::size_t shift = middle == first ? 0 : 3;
                out.push_back({cut[shift], cut[(shift + 1) % 4]});
                out.push_back({cut[(shift + 2) % 4], cut[(shift + 3) % 4]});
            }
        }
    return out;
}

} // namespace caelumen
