#pragma once

#include "core/grid/frontier.h"
#include "core/grid/grid.h"

namespace caelumen {

/// As in docs/formats.md, "Sky grid".
Json gridToJson(const GridModel& model, const GridQuestion& question, const std::vector<GridCell>& cells, const std::vector<Frontier>& frontiers);
std::string gridToCsv(const GridModel& model, const GridQuestion& question, const std::vector<GridCell>& cells);

/// "Bortle 5, moon 50 % lit, 45 high, 60 away": a sky in words.
std::string skyText(const GridSky& sky);

} // namespace caelumen
