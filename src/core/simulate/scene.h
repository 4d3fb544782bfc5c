#pragma once

#include "core/base/pixel_scale.h"
#include "core/optics/curve.h"
#include "core/optics/spectra.h"
#include "core/stars/alignment.h"

#include <array>
#include <string>
#include <vector>

namespace caelumen {

/// The gas of a made-up nebula: brightness of each line in rayleigh, and dust in front of the stars (V magnitudes), on a grid that covers the
/// baseline's frame with a margin of `margin` pixels.
struct NebulaMap {
    int width = 0, height = 0, margin = 0;
    std::vector<float> hydrogen, oxygen, sulphur, dust;

    double sample(const std::vector<float>& map, double x, double y) const; ///< baseline pixels, bilinear
};

/// Turbulent clouds with filaments, ionisation fronts and dust lanes: oxygen in the middle, hydrogen around it, sulphur at the fronts.
/// `brightness` is the hydrogen peak in rayleigh.
NebulaMap makeNebula(int width, int height, int margin, unsigned long long seed, double brightness);

struct SceneStar {
    Point at;             ///< baseline pixels
    double v = 10;        ///< V magnitude
    double kelvin = 6000; ///< of its black body
};

/// A field of stars: counts that rise with magnitude by 10^(0.33 V) (disc of the Galaxy), temperatures of a mixed field, few close to another.
std::vector<SceneStar> makeStars(int width, int height, int margin, unsigned long long seed, double perSquareDegree, double scale_arcsec, double brightest,
                                 double faintest);

/// Down to three tenths of the noise of a star in the deepest stack.
inline constexpr double kDeepestStar = 21;

/// Those that are fainter than `from` down to `to`: counts go on from `perSquareDegree` brighter ones, flatter by then (10^(0.24 V)). Nobody finds most of
/// them, yet they are in every stack.
std::vector<SceneStar> makeFaintStars(int width, int height, int margin, unsigned long long seed, double perSquareDegree, double scale_arcsec, double from,
                                      double to);

/// What a telescope and camera do with light.
struct SceneRig {
    double focal_mm = 420, aperture_mm = 84, obstruction = 0, pixel_um = 3.76, optics = 0.88;
    double gain_e_per_adu = 0.78, readNoise_e = 1.6, fullWell_e = 50000, pedestal_adu = 100, fullScale_adu = 65535;
    double scale_arcsec() const { return arcsecPerPixel(pixel_um, focal_mm); }
    double area_cm2() const { return M_PI / 4 * aperture_mm * aperture_mm / 100 * (1 - obstruction * obstruction); }
};

/// A reflection between two surfaces: a disc around every star.
struct Ghost {
    double gap_mm = 0;
    double fraction = 0; ///< of the star's light, in every channel
    Point offset = {};   ///< stored pixels
};

struct SceneFilter {
    std::string id, name, kind;
    Curve curve;
    std::vector<Ghost> ghosts;
};

struct SceneSky {
    double zenith_mag = 21; ///< V, mag/arcsec^2, without the moon
    LampMix lamps;
    double moon_nl = 0;                    ///< moonlight on the target, nanolamberts
    double extinction = 1;                 ///< transmission of the air
    double fog = 0;                        ///< part of all starlight thrown into a wide smooth glow
    double gradient_u = 0, gradient_v = 0; ///< of the artificial light, per half diagonal
};

enum class SceneCamera { Mono, ThreeChannel, Mosaic };

/// One run to be photographed.
struct SceneRun {
    std::string id;
    SceneFilter filter;
    SceneSky sky;
    SceneRig rig;
    SceneCamera camera = SceneCamera::ThreeChannel;
    Alignment alignment; ///< baseline to this run
    int width = 1600, height = 1067;
    double fwhm_px = 3, beta = 3.0, eccentricity = 0.3, elongation_deg = 30;
    double aureole = 0.02;   ///< part of a star's light in the faint aureole of optics and air
    double vignette = -0.02; ///< what the flat left: corner against centre
    double sub_exposure_s = 180;
    int sub_count = 20;
    unsigned long long noiseSeed = 1;
    std::string mosaic = "RGGB";
};

/// Light of each kind as a run's channel receives it, electrons per second.
struct ChannelRates {
    double sky_lamps = 0, sky_natural = 0, sky_moon = 0; ///< per stored pixel, at the frame's centre
    double hydrogen = 0, oxygen = 0, sulphur = 0;        ///< per stored pixel and rayleigh (H-alpha carries its H-beta and [N II])
    std::vector<double> star_kelvin, star_rate;          ///< of a V = 0 star against temperature
    double sky() const { return sky_lamps + sky_natural + sky_moon; }
    double star(double v, double kelvin) const;
};
ChannelRates channelRates(const SceneRun& run, int channel);

} // namespace caelumen
