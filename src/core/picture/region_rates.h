#pragma once

#include "core/model/region.h"
#include "core/picture/view_render.h"

namespace caelumen {

/// What is seen of a run's pixels in a region of the baseline's frame, e-/s per pixel, evenly thinned to at most `most`; for a picture in colour its channels
/// are summed. Pixels without data are left out.
std::vector<double> ratesIn(const ViewRun& run, const Region& region, std::size_t most = 40'000);

} // namespace caelumen
