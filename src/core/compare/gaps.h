#pragma once

#include "core/model/trial.h"

#include <utility>
#include <vector>

namespace caelumen {

/// The gaps of a rig by name, mm of air; its filter's glass as the air that acts like it.
std::vector<std::pair<std::string, double>> gapsOf(const Rig& rig);

/// The gap of the rig (or its filter's glass) that comes closest to what a halo asks for, within 15 %, in words.
std::string explainGap(double gap_mm, const Rig& rig);

} // namespace caelumen
