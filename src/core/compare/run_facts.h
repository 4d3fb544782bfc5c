#pragma once

#include "core/image/frame_file.h"
#include "core/model/results.h"
#include "core/stars/saturation.h"

#include <filesystem>

namespace caelumen {

/// A run's file with everything needed to turn its pixels into electrons per second.
struct OpenRun {
    const Run* run = nullptr;
    FrameFile file;
    Rig rig;
    RunConditions conditions;
    double gain = 1;                          ///< e-/ADU
    double pedestal = 0;                      ///< ADU
    double seconds = 0;                       ///< what one pixel's value spans: the sub for a mean or median, all for a sum
    double fullScale = 65535;                 ///< ADU
    double knownSaturation = kNeverSaturated; ///< ADU above the pedestal's zero, as stored
    bool pedestalUnknown = false;
    Halves halves;
    std::string problem; ///< why nothing can be measured; empty when it can

    /// Stored value to e-/s per pixel. `scaled01`: the data spans 0..1.
    Rescale toRate(bool scaled01) const;
    /// A channel in e-/s per pixel. `scaled01` becomes what its largest value tells, where it is not known from another channel yet. `spare` may be a plane
    /// that is no longer needed.
    Result<Plane> readRates(std::size_t channel, std::optional<bool>& scaled01, Plane spare = {}, SeenOnTheWay* seen = nullptr) const;
    double rateOf(double adu) const { return (adu - pedestal) * gain / seconds; }
};

/// Opens the stack and resolves its facts: what the run says, else the rig, else the header. Where header and trial disagree the trial wins and the
/// run is flagged `header-conflict`.
Result<OpenRun> openRun(const Trial& trial, const Run& run, const std::filesystem::path& folder);

} // namespace caelumen
