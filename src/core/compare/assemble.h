#pragma once

#include "core/compare/evidence.h"
#include "core/compare/run_facts.h"
#include "core/measure/structure.h"
#include "core/model/results.h"

#include <cstddef>
#include <string>
#include <vector>

namespace caelumen {

/// What measuring a trial leaves behind, by run.
struct MeasuredRuns {
    const Trial& trial;
    std::size_t baseline;
    const std::vector<OpenRun>& open;
    std::vector<RunEvidence> evidence;
    const std::vector<std::string>& refused; ///< why a run is not measured; empty when it is
    const std::vector<char>& stretched;      ///< that is why
    const std::vector<Point>& photometry;    ///< stars whose light was measured, baseline pixels
    const StructureGrid& grid;
};

/// Figures of all runs, each against the baseline's, with what makes them unfair and the ranking; warnings are left to whoever measured.
TrialResults assembleResults(MeasuredRuns m);

} // namespace caelumen
