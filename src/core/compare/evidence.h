#pragma once

#include "core/measure/colour.h"
#include "core/measure/harvest.h"
#include "core/model/results.h"

#include <map>
#include <string>
#include <vector>

namespace caelumen {

/// What figures were read from, for plots: kept in memory, never written.
struct RunEvidence {
    std::string run;
    Alignment alignment;
    std::vector<PlaneHarvest> planes;
    std::vector<Point> starsMeasured;                        ///< whose light was measured in all runs, in the order of PlaneHarvest::fluxes; baseline pixels
    std::map<std::string, Surface> surfaces;                 ///< by channel
    std::map<std::string, std::vector<char>> excludedCells;  ///< by channel, of the mesh
    std::map<std::string, HaloExcess> halos;                 ///< by "region/channel"
    std::map<std::string, std::vector<ColourPoint>> colours; ///< by index
    std::map<std::string, ColourFit> colourFits;
};

} // namespace caelumen
