#include "core/image/mosaic.h"

namespace caelumen {

std::optional<MosaicPattern> mosaicPattern(const std::string& bayerpat, int xOffset, int yOffset, bool bottomUp, int height) {
    if (bayerpat.size() != 4) return std::nullopt;
    std::array<int, 4> colours{};
    std::array<int, 3> seen{};
    for (std::size_t i = 0; i < 4; ++i) {
        switch (bayerpat[i]) {
        case 'R':
        case 'r':
            colours[i] = 0;
            break;
        case 'G':
        case 'g':
            colours[i] = 1;
            break;
        case 'B':
        case 'b':
            colours[i] = 2;
            break;
        default:
            return std::nullopt;
        }
        ++seen[static_cast<std::size_t>(colours[i])];
    }
    const bool diagonalGreen = (colours[0] == 1 && colours[3] == 1) || (colours[1] == 1 && colours[2] == 1);
    if (seen != std::array<int, 3>{1, 2, 1} || !diagonalGreen) return std::nullopt;

    MosaicPattern out;
    for (int y = 0; y < 2; ++y) {
        for (int x = 0; x < 2; ++x) {
            const int fromTop = bottomUp ? height - 1 - y : y;
            const int px = (x + xOffset) & 1, py = (fromTop + yOffset) & 1;
            const int colour = colours[static_cast<std::size_t>(2 * py + px)];
            out.cell[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)] = colour;
            out.name += "RGB"[colour];
        }
    }
    return out;
}

Plane mosaicPlane(const Plane& stored, const MosaicPattern& pattern, int colour) {
    Plane out = Plane::unfilled(stored.width() / 2, stored.height() / 2);
    for (int y = 0; y < out.height(); ++y) {
        float* to = out.row(y);
        const std::array<const float*, 2> from{stored.row(2 * y), stored.row(2 * y + 1)};
        for (int x = 0; x < out.width(); ++x) {
            float sum = 0;
            int n = 0;
            for (unsigned dy = 0; dy < 2; ++dy) {
                for (unsigned dx = 0; dx < 2; ++dx) {
                    if (pattern.cell[dy][dx] != colour) continue;
                    sum += from[dy][2 * x + static_cast<int>(dx)];
                    ++n;
                }
            }
            to[x] = sum / static_cast<float>(n);
        }
    }
    return out;
}

PlaneGeometry mosaicGeometry(const MosaicPattern& pattern, int colour) {
    PlaneGeometry g{2, {0, 0}};
    int n = 0;
    for (unsigned dy = 0; dy < 2; ++dy) {
        for (unsigned dx = 0; dx < 2; ++dx) {
            if (pattern.cell[dy][dx] != colour) continue;
            g.origin.x += dx;
            g.origin.y += dy;
            ++n;
        }
    }
    g.origin.x /= n;
    g.origin.y /= n;
    for (unsigned dx = 0; dx < 2 && n == 2; ++dx) // the site of the first row, against the middle
        if (pattern.cell[0][dx] == colour) g.split = {(dx - g.origin.x) / g.pitch, (0 - g.origin.y) / g.pitch};
    return g;
}

} // namespace caelumen
