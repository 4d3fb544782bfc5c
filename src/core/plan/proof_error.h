#pragma once

#include "core/plan/sky_light.h"

namespace caelumen {

/// What the Bench will measure a nebula and its noise on, where the plan is for: pixels of the channel.
struct ProofGround {
    double nebula_px = 2000, sky_px = 8000; ///< of the regions
    double boxes = 1000;                    ///< 10 arcsec wide, in which noise is seen
    double starsTo15 = 900;                 ///< stars a square degree brighter than V = 15
};

/// Stars a square degree brighter than V = 15 at a place (ICRS degrees): a cosecant law of galactic latitude through the mean counts of both skies (Allen 1973,
/// Astrophysical Quantities, section 117); good to a factor of two, since arms and dust are not in it.
double starsTo15(double ra_deg, double dec_deg);

/// What a run will gather in one channel, e-/s and pixel; exposures in s.
struct RunRates {
    double signal = 0, background = 0, readNoise_e = 0;
    double starRate = 0;     ///< e-/s of a star of V = 0
    double scale_arcsec = 1; ///< of a pixel
    double fwhm_px = 3;
};

/// The Bench's figures for such a run, with the errors that it will state: photons and read noise; what a fitted sky leaves of gradients; clumps of stars too
/// faint to be hidden; the rim of the nebula beneath the sky regions; and how well so many boxes tell the noise. The parts that are no photons do not average
/// down with subs. Their sizes come from the scatter of some hundred virtual nights, from a city roof under a full moon to a desert (docs/measurements.md):
/// within 30 % of it, but half of it where more than 10,000 stars a square degree (to V = 16.5) crowd in a deep stack.
struct ForetoldRun {
    double snr = 0;           ///< the signal over the noise of a box, the square root of whose boxes is left out
    double signalSigma = 0;   ///< e-/s and pixel
    double relativeSigma = 0; ///< of the SNR, as a part
    double structure = 0;     ///< e-/s and pixel: what faint stars add to the scatter of boxes
};
/// `hiddenTo`: V of the faintest stars that any run of the trial finds, since they are hidden in all.
ForetoldRun foretellRun(const RunRates& rates, double exposure_s, double subs, const ProofGround& ground, double hiddenTo);

/// Of the time ratio of two runs, as a part: what sets their errors apart.
double ratioSigma(const ForetoldRun& a, const ForetoldRun& b);

/// V of the faintest stars that such a run finds.
double faintestFound(const RunRates& rates, double exposure_s, double subs);

} // namespace caelumen
