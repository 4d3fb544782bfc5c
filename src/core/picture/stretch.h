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
    friend bool operator==(const Stretch&, const Stretch&) = default;
};

/// What of a picture's channels is seen: three as red, green and blue, or their weighted sum in grey (one channel, a line). A frame of one channel is grey
/// whatever is asked.
struct Showing {
    bool colour = true;
    std::array<double, 3> weights{0, 1, 0};
    friend bool operator==(const Showing&, const Showing&) = default;
};

/// One run's picture as it is seen.
struct Seen {
    const PicturePyramid* picture = nullptr;
    Showing showing = {};

    bool inColour() const { return showing.colour && picture->channels() == 3; }
    /// Sky and noise of what is seen: of each channel in colour, else of the sum.
    std::vector<PicturePyramid::ChannelStats> stats() const;
};

/// A person's wishes on top of the automatic stretch: -1..1 each, 0 as it comes.
struct StretchWish {
    double brightness = 0, contrast = 0;
};

/// One stretch for all runs: one black, one white and one colour balance (neutral for the baseline's sky), so that a darker picture *is* darker.
Stretch sharedStretch(const std::vector<Seen>& runs, const Seen& baseline, StretchWish wish = {});

/// Each to its own sky: black at the run's own sky, scaled by its own noise. Not a fair view of brightness, and labelled so.
Stretch ownSkyStretch(const Seen& run, StretchWish wish = {});

/// The same black and white with greys in proportion to the light between them; white so near that the faint is seen.
Stretch linearStretch(const std::vector<Seen>& runs, const Seen& baseline, StretchWish wish = {});

/// The rate that becomes middle grey, and the stretch that makes it so (between black and white; the nearest that can be made).
double middleOf(const Stretch& stretch);
Stretch withMiddle(Stretch stretch, double middle);

/// Greys of all 65536 codes of each channel.
using StretchTable = std::array<std::vector<std::uint8_t>, 3>;
StretchTable stretchTable(const PicturePyramid& run, const Stretch& stretch);

enum class PictureTint { Natural, Red };

} // namespace caelumen
