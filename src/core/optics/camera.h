#pragma once

#include "core/optics/curve.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

struct CameraChannel {
    std::string name; ///< R, G, B or L
    Curve efficiency; ///< part of the light that becomes electrons
};

/// What one setting of the gain means.
struct GainStep {
    double setting = 0, e_per_adu = 0;
    std::optional<double> read_noise_e = {};
};

/// A camera as light sees it: window and sensor together.
struct Camera {
    std::string id, name;
    std::vector<CameraChannel> channels;
    bool passesInfrared = false;
    std::string window = {}; ///< in words
    std::optional<double> pixel_um = {}, full_well_e = {};
    std::vector<GainStep> gains = {};
    int width_px = 0, height_px = 0; ///< of the sensor; 0: not known

    /// The row of a gain setting: the nearest, the first where none is asked for; null without rows.
    const GainStep* gainAt(std::optional<double> setting) const;
};

/// Made-up typical cameras: no maker's curves, but of their usual shape.
const std::vector<Camera>& typicalCameras();
const Camera& typicalCamera(const std::string& id); ///< the first one for an unknown id

/// Quantum efficiency of the typical modern sensor without any window, for channel 0 R, 1 G, 2 B of a colour mosaic or 3 for monochrome.
double sensorEfficiency(int channel, double nm);

} // namespace caelumen
