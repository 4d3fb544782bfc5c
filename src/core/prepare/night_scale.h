#pragma once

#include "core/prepare/verdict.h"

namespace caelumen {

/// The scale of each run, in their order; absent where nothing links it to the others (no times, no stars, or no swap within `longestGap_s`). A filter's own
/// share of starlight is constant, the air's is not: at each swap the last three kept subs of one filter and the first three of the next saw nearly the same
/// air, so the step between them is the filter's. All swaps are solved together by weighted least squares, each with the photon noise of its subs and with how
/// far the air has been seen to wander in that time (a random walk); swaps A B B A cancel a drift. The clearest tenth of all subs of the night is 1. `sigma`
/// counts against the run that was first in the night.
std::vector<std::optional<NightScale>> nightScales(const std::vector<const JudgedRun*>& runs, double longestGap_s = 2700);

} // namespace caelumen
