#pragma once

#include "core/model/trial.h"

#include <map>
#include <utility>

namespace caelumen {

/// The three moons that filters are tested under.
enum class MoonCell { Dark, Half, Full };

/// Dark: down, or less than a tenth lit; full: more than three quarters lit.
MoonCell moonCell(double illuminated, double alt_deg);
const char* moonCellName(MoonCell cell);

/// Which skies a campaign has tested: how many runs in each class of sky and moon. Runs whose start, or whose place's position or class, is not known are left
/// out; a meter's reading counts as the class it comes closest to.
using SkyCells = std::map<std::pair<int, MoonCell>, int>;
SkyCells cellsOf(const std::vector<Trial>& trials);

/// The class of a site; absent when neither class nor reading is known.
std::optional<int> skyClass(const Site& site);

} // namespace caelumen
