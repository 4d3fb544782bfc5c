#pragma once

#include "core/picture/pyramid.h"

#include <array>
#include <cstdint>
#include <vector>

namespace caelumen {

/// How rates become greys: grey = asinh((rate * balance - black) / soft) / asinh((white - black) / soft), 0..1.
struct Stretch {
    double black = 0, white = 1, soft = 0.1;
    std::array<double, 3> balance{1, 1, 1};

    double grey(int channel, double rate) const;
};

/// A person's wishes on top of the automatic stretch: -1..1 each, 0 as it comes.
struct StretchWish {
    double brightness = 0, contrast = 0;
};

/// One stretch for all runs: one black, one white and one colour balance (neutral for the baseline's sky), so that a darker picture *is* darker.
Stretch sharedStretch(const std::vector<const PicturePyramid*>& runs, const PicturePyramid& baseline, StretchWish wish = {});

/// Each to its own sky: black at the run's own sky, scaled by its own noise. Not a fair view of brightness, and labelled so.
Stretch ownSkyStretch(const PicturePyramid& run, StretchWish wish = {});

/// Greys of all 65536 codes of each channel.
using StretchTable = std::array<std::vector<std::uint8_t>, 3>;
StretchTable stretchTable(const PicturePyramid& run, const Stretch& stretch);

enum class PictureTint { Natural, Red };

/// Pixels of a tile as 0xffRRGGBB, row by row with `stride` words between rows. The area must lie inside the level.
void renderTile(const PicturePyramid& run, const StretchTable& table, PictureTint tint, int level, int x0, int y0, int width, int height, std::uint32_t* to,
                std::size_t stride);

} // namespace caelumen
