#pragma once

#include "app/bench/frame_view.h"
#include "core/model/results.h"

namespace caelumen {

/// What is drawn on each run's picture to show which of its pixels a score was read from: what is masked for sky and nebula, the disc and hole of a halo, the
/// stars whose colours count, the way the sky brightens beside moon and light domes. `region`: the nebula or halo star.
std::map<QString, ViewMarks> marksOf(const QString& score, const Trial& trial, const TrialResults& results, const std::string& region);

} // namespace caelumen
