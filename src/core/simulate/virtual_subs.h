#pragma once

#include "core/image/fits_writer.h"
#include "core/model/trial.h"
#include "core/simulate/render.h"

#include <filesystem>
#include <optional>

namespace caelumen {

/// A made-up sensor: what calibration has to take away.
struct VirtualSensor {
    unsigned long long seed = 7;
    double vignette = 0.18;      ///< light lost in the corners
    double roughness = 0.006;    ///< rms of the pixels' sensitivity
    int dust = 6;                ///< shadows of dust
    double dark_e_per_s = 0.004; ///< at -10 C; doubles every 6 K
    double glow_e_per_s = 0.12;  ///< in the corner where the amplifier sits
    double hotPart = 0.0004;     ///< of the pixels
    double hot_e_per_s = 6;      ///< mean of a hot pixel
    double temperature_c = -10;
    double gainSetting = 0, offsetSetting = 30;
};

/// What went wrong, or right, in one sub.
struct VirtualSub {
    Alignment alignment;                       ///< reference to this sub: dither, field rotation, meridian flip
    double transparency = 1;                   ///< clouds
    double sky = 1;                            ///< factor on the sky: lamplight thrown back by clouds, a torch
    std::optional<double> moon_nl = {};        ///< instead of the run's
    double fwhm_px = 0;                        ///< 0: the run's
    double drift_px = 0, drift_deg = 0;        ///< tracking lost: how far stars moved
    std::vector<std::array<double, 4>> trails; ///< x0, y0, x1, y1 in stored pixels
    double trail_e = 300;                      ///< electrons along a trail, per pixel of its length
    std::string start;                         ///< ISO 8601, UTC
    unsigned long long seed = 1;
};

/// A run of subs that can be photographed one by one.
struct VirtualRun {
    SceneRun scene; ///< its sub_count is taken as 1
    NebulaMap nebula;
    std::vector<SceneStar> stars;
    VirtualSensor sensor;
    Target target;
    Site site;
    std::vector<VirtualSub> subs;
};

/// ADU of one raw sub: a mosaic, or one plane for a monochrome camera.
Plane photographSub(const VirtualRun& run, const VirtualSub& sub);
/// Calibration frames of the same sensor.
Plane photographDark(const VirtualRun& run, double exposure_s, unsigned long long seed);
Plane photographFlat(const VirtualRun& run, double level_e, unsigned long long seed);
/// The electrons per second that the optics bring to a stored pixel, without the sensor's faults: truth for stacks. One plane a channel, at full size.
std::vector<CleanPlane> cleanPlanes(const VirtualRun& run, const VirtualSub& sub);

/// Sensitivity of every stored pixel: what a perfect flat would show.
Plane sensitivityOf(const VirtualRun& run);

/// What the header of a sub, dark or flat says.
std::vector<HeaderCard> subCards(const VirtualRun& run, const std::string& kind, double exposure_s, const std::string& start);

/// A night of one filter: `count` subs one after another with dither, the moon's rise and setting air; everything else goes well.
VirtualRun virtualRun(const SceneFilter& filter, SceneCamera camera, int width, int height, int count, unsigned long long seed, const std::string& start,
                      const Site& site, const Target& target, double exposure_s = 120);

/// Moon and air of a sub that begins then (ISO 8601, UTC).
void takeAt(const VirtualRun& run, VirtualSub& sub, const std::string& start);

/// Writes light-001.fits ..., dark-, flat- and bias- frames and subs.json, ready for `caelumen-cli stack`.
struct VirtualFrames {
    int darks = 6, flats = 6, biases = 6;
    double flat_e = 22'000;
};
Status writeVirtualRun(const VirtualRun& run, const std::filesystem::path& folder, const VirtualFrames& frames = {});
/// One light of it, through a temporary name.
Status writeVirtualSub(const VirtualRun& run, std::size_t index, const std::filesystem::path& file);

} // namespace caelumen
