#pragma once

#include "core/base/job.h"
#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/image/plane.h"
#include "core/optics/system_response.h"

#include <array>
#include <filesystem>
#include <vector>

namespace caelumen {

/// What light of the red line (hydrogen or sulphur) and of oxygen becomes in R, G and B.
struct LineMatrix {
    /// What it rests on. Nothing: red is the line, green and blue see oxygen alike, which holds for no camera. A filter weakens a line alike in all channels,
    /// so the camera alone tells how they share it.
    enum class Source { Nothing, Camera, FilterAndCamera };
    std::array<double, 3> red{1, 0, 0}, oxygen{0, 1, 1};
    Source source = Source::Nothing;
    bool sulphur = false; ///< the red line
    friend bool operator==(const LineMatrix&, const LineMatrix&) = default;
};
/// From a filter's curve in its cone and a camera with three channels. The red line is the one that the filter passes better. An empty curve, or one that lacks
/// a line: the camera alone, for hydrogen.
LineMatrix lineMatrix(const Curve& effective, const Camera& camera);

/// How R, G and B are added up for a line: least squares for both lines at once, weighted by the noise of each channel, scaled to the electrons that the line
/// has in red (the red line) or in the mean of green and blue (oxygen), whatever the noise. Without crosstalk this is red alone, and green and blue weighted by
/// noise.
struct LineWeights {
    std::array<double, 3> red{}, oxygen{};
};
LineWeights lineWeights(const LineMatrix& matrix, const std::array<double, 3>& noise);

/// The three channels of a stack, each times its weight; a channel that counts for nothing leaves no holes.
Plane weightedSum(const std::vector<Plane>& channels, const std::array<double, 3>& weights);

struct LineFrames {
    std::filesystem::path red, oxygen;
    LineWeights weights;
    std::array<double, 3> noise{}; ///< of the stack's channels, ADU
};
/// The names of a stack's line frames: of its red line, and of oxygen.
std::pair<std::filesystem::path, std::filesystem::path> lineOutputs(const std::filesystem::path& stack, const LineMatrix& matrix);

/// Writes the line frames of a three-channel stack beside it ("b-hydrogen.fits", "b-oxygen.fits").
Result<LineFrames> writeLines(const std::filesystem::path& stack, const LineMatrix& matrix);

/// Oxygen of several filters in one frame: laid on the first one, brought to its electrons per second by their stars, weighted by noise.
Status addOxygen(const std::vector<std::filesystem::path>& oxygen, const std::filesystem::path& out, const Job& job = {});

} // namespace caelumen
