#pragma once

#include "core/image/sky_coordinates.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// What a frame's header says about how it was made. Absent means that the header is silent; `sources` says which keyword
/// each fact came from (fact name -> keyword), `notes` what was odd about it.
struct FrameFacts {
    std::optional<double> sub_exposure_s;
    std::optional<int> sub_count;
    std::optional<double> gain_e_per_adu;
    std::optional<double> gain_setting; ///< GAIN where it is a camera setting rather than e-/ADU
    std::optional<double> offset_setting;
    std::optional<double> read_noise_e;
    std::optional<double> pedestal_adu; ///< what was added and must be subtracted, in stored units
    std::optional<double> pixel_um;     ///< as binned
    std::optional<double> focal_length_mm;
    std::optional<double> aperture_mm;
    std::optional<double> sensor_temperature_c;
    std::optional<double> night_transparency,
        night_transparency_sigma; ///< of a stack: mean starlight of its subs over that of the night's clearest, in any filter
    /// Of a stack whose subs saw the moon rise or set, by channel: background for each nanolambert of moonlight and its error, e-/s/px.
    std::map<std::string, std::pair<double, double>> moon_response;
    std::optional<double> ra_deg, dec_deg;
    std::optional<double> site_latitude_deg, site_longitude_deg;
    std::optional<std::string> start; ///< ISO 8601, UTC
    std::optional<SkyCoordinates> wcs;
    std::optional<std::string> frame_kind; ///< light, dark, flat, as the header words it
    std::optional<std::string> filter, target, camera, telescope;
    std::map<std::string, std::string> sources;
    std::vector<std::string> notes;
};

} // namespace caelumen
