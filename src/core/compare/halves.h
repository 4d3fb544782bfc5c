#pragma once

#include "core/compare/run_facts.h"

namespace caelumen {

/// What the halves of a run's stack differ by in a channel, in the run's rates and as noisy as `whole`, the stack's own channel. Files that cannot be read,
/// have another size, or do not make the stack together come back as an Error.
Result<Plane> readHalves(const OpenRun& o, std::size_t c, const Plane& whole, bool scaled01);

} // namespace caelumen
