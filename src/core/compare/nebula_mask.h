#pragma once

#include "core/compare/evidence.h"

namespace caelumen {

/// Fits the sky surface of every plane of every run, twice: first each by itself, then with every cell left out that stood out as bright in two runs (or in the
/// run itself), so that all runs have the same nebula masked (a narrow filter shows nebula that drowns in the baseline's sky).
void fitSurfaces(const Trial& trial, std::vector<RunEvidence>& runs, std::size_t baseline);

} // namespace caelumen
