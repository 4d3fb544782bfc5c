#pragma once

#include "core/base/job.h"
#include "core/prepare/subs.h"
#include "core/sky/evening.h"

#include <set>

namespace caelumen {

enum class FrameKind { Light, Dark, Flat, Bias, FlatDark };
const char* frameKindName(FrameKind kind); ///< "light", "dark", "flat", "bias", "flat dark"

/// A frame as its header and name tell it; no pixel is read.
struct IntakeFrame {
    std::filesystem::path path;
    FrameKind kind = FrameKind::Light;
    bool guessed = false;                      ///< the kind comes from the name alone
    bool fromName = false;                     ///< exposure, gain, filter ... or some of them come from the name
    std::string filter, target, night, camera; ///< night: the date of its evening at the place, "2026-06-15"
    std::string start;
    std::optional<double> exposure_s, gain, offset, temperature_c, longitude_deg;
    int width = 0, height = 0;
    std::string mosaic; ///< pattern, or empty
    std::size_t planes = 1;
    std::string problem; ///< why it cannot be used; a sentence
};

/// Reads one header. A file that cannot be used comes back with `problem`.
IntakeFrame takeIn(const std::filesystem::path& file);

/// All files beneath a folder (or the file itself) that may be frames, by name. Temporary and hidden ones are passed over.
std::vector<std::filesystem::path> framesBeneath(const std::filesystem::path& place);

/// Headers of many files, in their order; several at a time.
std::vector<IntakeFrame> takeInAll(const std::vector<std::filesystem::path>& files, const Job& job = {});

/// Frames of one kind that belong together: lights by filter, target, exposure, gain, night and size; flats by filter and night; darks by exposure, gain and
/// temperature.
struct FrameGroup {
    FrameKind kind = FrameKind::Light;
    std::string filter, target, night;
    std::optional<double> exposure_s, gain, temperature_c;
    int width = 0, height = 0;
    std::vector<std::size_t> frames; ///< of the list, by time
    double total_s = 0;
    bool fromName = false; ///< see IntakeFrame
    std::string title() const;
};
std::vector<FrameGroup> groupFrames(const std::vector<IntakeFrame>& frames);

/// The recipe for a group of lights with the calibration frames that suit it: same size and mosaic; flats of the same filter, of the nearest night; all darks
/// and biases of the same gain (makeCalibration takes the nearest); flat darks as long as the flats, else all. `library`: more to choose from.
SubsRecipe recipeFor(const FrameGroup& lights, const std::vector<IntakeFrame>& frames, const std::vector<IntakeFrame>& library = {});

} // namespace caelumen
