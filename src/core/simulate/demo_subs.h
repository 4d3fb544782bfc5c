#pragma once

#include "core/base/job.h"
#include "core/simulate/virtual_subs.h"

namespace caelumen {

/// What happens to the subs of a virtual run: a cloud passes, satellites cross, focus is lost as the tube cools and found again, tracking slips.
void liven(VirtualRun& run, unsigned long long seed);

/// The demo's capture folder: subs of two filters in the garden under the first quarter moon, with darks, biases and flats; small frames of a colour camera.
Status writeDemoSubs(const std::filesystem::path& folder, const Job& job = {});

} // namespace caelumen
