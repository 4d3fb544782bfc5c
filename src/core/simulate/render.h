#pragma once

#include "core/base/job.h"
#include "core/image/plane.h"
#include "core/simulate/scene.h"

namespace caelumen {

/// One channel of one run without noise, electrons per second per pixel, by kind of light.
struct CleanPlane {
    Plane sky;         ///< with gradient and vignette
    Plane nebula;      ///< with vignette
    Plane stars;       ///< with aureole, ghosts, fog and vignette
    Plane unseen = {}; ///< what of `stars` comes from those too faint to be hidden; may be empty
};
/// `hidden`: by star, whether it is found (in this run or in another) and hidden; null: where this run shows it.
CleanPlane renderClean(const SceneRun& run, int channel, const NebulaMap& nebula, const std::vector<SceneStar>& stars,
                       const std::vector<char>* hidden = nullptr);

/// Marks the stars that a run shows in a channel with a signal to noise of 4.5 and more.
void markFound(const SceneRun& run, int channel, const NebulaMap& nebula, const std::vector<SceneStar>& stars, std::vector<char>& found);

/// What the camera makes of it: the mean of all subs in ADU with photon and read noise, pedestal and saturation.
Plane expose(const SceneRun& run, const CleanPlane& clean, int channel);

/// A single raw mosaic sub: each pixel from the channel above it.
Plane exposeMosaic(const SceneRun& run, const std::array<CleanPlane, 3>& clean);

/// The sky of a run at a pixel without noise, electrons per second: gradient and vignette in the definition of docs/measurements.md.
double skyRate(const SceneRun& run, const ChannelRates& rates, double x, double y);

/// Radius in stored pixels of the disc a ghost makes.
double ghostRadius(const SceneRun& run, const Ghost& ghost);

} // namespace caelumen
