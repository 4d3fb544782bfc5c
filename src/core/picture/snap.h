#pragma once

#include "core/picture/view_render.h"

namespace caelumen {

/// The middle of the brightest star within `reach` baseline pixels of a place, from the pixels above half of its height, so that a burnt-out star is met in its
/// middle too. Nothing where no pixel stands six sigmas above the sky.
std::optional<Point> brightStarNear(const ViewRun& run, Point baseline, double reach);

} // namespace caelumen
