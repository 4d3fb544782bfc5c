#pragma once

#include "core/base/job.h"
#include "core/image/plane.h"
#include "core/simulate/scene.h"

namespace caelumen {

/// One channel of one run without noise, electrons per second per pixel, by kind of light.
struct CleanPlane {
    Plane sky;     ///< with gradient and vignette
    Plane nebula;  ///< with vignette
    Plane stars;   ///< with aureole, ghosts, fog and vignette
};
CleanPlane renderClean(const SceneRun& run, int channel, const NebulaMap& nebula, const std::vector<SceneStar>& stars);

/// What the camera makes of it: the mean of all subs in ADU with photon and read noise, pedestal and saturation.
Plane expose(const SceneRun& run, const CleanPlane& clean, int channel);

/// A single raw mosaic sub: each pixel from the channel above it.
Plane exposeMosaic(const SceneRun& run, const std::array<CleanPlane, 3>& clean);

/// The sky of a run at a pixel without noise, electrons per second: gradient and vignette in the definition of docs/measurements.md.
double skyRate(const SceneRun& run, const ChannelRates& rates, double x, double y);

/// Radius in stored pixels of the disc a ghost makes.
double ghostRadius(const SceneRun& run, const Ghost& ghost);

} // namespace caelumen
