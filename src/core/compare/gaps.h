#pragma once

#include "core/model/trial.h"

namespace caelumen {

/// The gap of the rig (or its filter's glass) that comes closest to what a halo asks for, within 15 %, in words.
std::string explainGap(double gap_mm, const Rig& rig);

} // namespace caelumen
