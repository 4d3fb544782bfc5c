#pragma once

#include "core/base/job.h"
#include "core/image/stored_rows.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A calibration frame that is open, and what a glance at it tells.
struct CalibrationFrame {
    FrameInfo info;
    StoredRows rows;
    double level = 0; ///< median of a sample of the central half, first stored plane, ADU
    double top = 0;   ///< of that sample, its 99 % point
};

/// Opens frames of the subs' size; `kind` ("dark") for sentences, `full`: full scale, ADU. An unreadable frame, or one of another camera, is an error.
Result<std::vector<CalibrationFrame>> openCalibrationFrames(const std::vector<std::filesystem::path>& paths, const FrameInfo& light, const char* kind,
                                                            double full);

/// Some of the finite pixels, evenly strewn.
std::vector<float> sampleOf(const Plane& plane, std::size_t most = 200'000);

/// Mean of frames with outliers rejected, one stored plane. `scale`: each frame's factor after `zero` has been taken away; both may be empty.
Result<Plane> meanOfFrames(const std::vector<StoredRows>& frames, int plane, const std::vector<double>& scale, const Plane* zero, const Job& job = {});
/// The same of all stored planes.
Result<std::vector<Plane>> masterOf(const std::vector<CalibrationFrame>& frames, const std::vector<double>& scale, const std::vector<Plane>* zero,
                                    std::size_t planes, const Job& job);

/// Takes out frames whose level stands apart from the others (a lamp that leaked in, a lid that was off) and says so.
void leaveOutLeaks(std::vector<CalibrationFrame>& frames, const char* kind, std::vector<std::string>& warnings);

/// Darks of one gain, exposure and temperature (to two degrees): the group nearest to what is wanted.
std::vector<CalibrationFrame> nearestDarks(const std::vector<CalibrationFrame>& all, const FrameFacts& light, std::optional<double> exposure_s);

/// Light that reached the sensor while darks were taken, in sentences: a slope across the sensor (a glow of the electronics sits at its rim), or signal that
/// does not grow with exposure as a current does. `all`: every dark that was given; `dark`: the master; `bias` may be null.
std::vector<std::string> lightInDarks(const std::vector<CalibrationFrame>& all, const Plane& dark, const Plane* bias, std::optional<double> biasLevel);

} // namespace caelumen
