#pragma once

#include "core/base/pixel_scale.h"
#include "core/plan/proof_error.h"
#include "core/plan/schedule.h"
#include "core/plan/targets.h"

#include <map>

namespace caelumen {

/// What turns light into electrons: the trial's telescope and camera, as far as they are known.
struct PlanRig {
    double aperture_mm = 80, obstruction = 0, focal_mm = 400, pixel_um = 3.76, readNoise_e = 1.5, e_per_adu = 0.25, fullWell_e = 50'000, fullScale_adu = 65'535,
           pedestal_adu = 0;
    std::vector<std::string> assumed; ///< what was not known and taken from the list above or the camera
    double scale_arcsec() const { return arcsecPerPixel(pixel_um, focal_mm); }
    double fRatio() const { return focal_mm / aperture_mm; }
};
PlanRig planRig(const Rig& rig, const Camera& camera);

/// A filter of the plan in this telescope and camera.
struct PlanFilter {
    std::string id, name;
    std::vector<SystemChannel> channels;
    bool claimed = false; ///< from what its maker says alone
};

inline constexpr double kSeen = 3; ///< sigmas that a baseline's nebula must stand above the sky

/// What one filter will do in the night, in the channel that shows its best line (or the continuum) best.
struct Forecast {
    std::string filter;
    bool claimed = false;             ///< from what the filter's maker says alone
    std::string channel;              ///< that the figures are of
    double background = 0;            ///< e-/s/px, mean over its blocks
    double signal = 0;                ///< e-/s/px of the target's nebula
    double contrast = 0;              ///< signal over background
    std::optional<double> subsToTell; ///< of each filter, to tell it from the baseline at 95 %; nothing: no number does
    double snr = 0;                   ///< of a region of `kRegion` pixels against the sky's noise (as the Bench measures it), with its blocks
    double signalSigma = 0;           ///< e-/s/px
    bool seen() const { return signal >= kSeen * signalSigma; } ///< else the Bench has no time ratio
    double timeRatio = 0;                                       ///< of the baseline: how many times faster it collects the same signal to noise
    double timeRatioSigma = 0;                                  ///< that the Bench will state, not of photons alone (proof_error.h)
};

/// Two filters neither of which is the baseline, each in its own best channel.
struct ForetoldPair {
    std::string faster, slower;
    double ratio = 1, sigma = 0; ///< of the time that they need
    std::optional<double> subsToTell;
};

struct Forecasts {
    std::vector<Forecast> filters;   ///< in the plan's order
    std::vector<ForetoldPair> pairs; ///< neighbours in the order of their time ratios, fastest first
    ProofGround ground;
    bool empty() const { return filters.empty(); }
};

/// Needs a site whose brightness is known. Signal: the target's lines as emission of the brightness of `lineBrightness` (1 rayleigh = 10^6 / 4 pi photons s^-1
/// cm^-2 sr^-1), its continuum as sunlight of the brightness of `continuumBrightness`. `ground` by default: regions of a usual size, stars as many as that part
/// of the sky has.
Forecasts forecast(const Plan& plan, const std::vector<PlanFilter>& filters, const PlanRig& rig, const Site& site, const DeepSky& target,
                   const NightTrack& track, std::optional<ProofGround> ground = {});

/// The regions that the trial has already, for its target; nothing without a nebula and free sky.
std::optional<ProofGround> groundOf(const Trial& trial, const DeepSky& target, double scale_arcsec);

/// Electrons per second and pixel of one filter's channel at a moment; nothing while the target is down or the sky's brightness unknown.
std::optional<double> backgroundAt(const SystemChannel& channel, const PlanRig& rig, const Site& site, const SkyMoment& moment);

/// Rayleighs in the mean of a region (its brightest knots have two or three times as many) of a line that the catalogue calls faint (1), fair (2) or strong
/// (3).
double lineBrightness(int strength);
/// V mag per square arcsecond of a continuum of that strength.
double continuumBrightness(int strength);

/// Both schools of the sub length for one filter, and their limits.
struct SubLength {
    std::string filter, channel;                    ///< the channel whose sky is darkest decides for the first school
    double background = 0;                          ///< e-/s/px there
    double skyLimited_s = 0;                        ///< 10 times the read noise squared over the background: adds 5 % noise (docs/measurements.md)
    double histogramLow_s = 0, histogramHigh_s = 0; ///< the sky at 25 and 40 % of full scale, brightest channel
    double starLimit_s = 0;                         ///< a star of the given magnitude reaches the full well; 0: not known
};
SubLength subLength(const PlanFilter& filter, const PlanRig& rig, const Site& site, const SkyMoment& moment, double starMagnitude, double fwhm_px = 3);

/// Noise that `exposure_s` adds over endless subs, as a part.
double noiseAdded(double background, double readNoise_e, double exposure_s);

} // namespace caelumen
