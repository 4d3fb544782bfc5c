#pragma once

#include "core/image/frame_file.h"
#include "core/model/trial_json.h"

#include <map>

namespace caelumen {

/// What `caelumen-cli frames` says about one file: header facts, sky level, noise and stars, in stored units.
struct FrameReport {
    FrameInfo info;
    std::map<std::string, double> level, noise; ///< by channel, ADU
    int stars = 0;                              ///< above 5 sigma, in the channel with most of them
    std::optional<double> fwhm_px, eccentricity;
};
Result<FrameReport> reportFrame(const std::filesystem::path& path);
Json frameReportToJson(const FrameReport& report);
Json factsToJson(const FrameFacts& facts);

} // namespace caelumen
