#pragma once

#include "core/verdict/verdict.h"

namespace caelumen {

/// Puts a verdict into sentences: who comes first and how sure, for which light each filter is and is not, what it saves and costs, what another weight would
/// change, and what does not count. Every claim stands on figures that lie more than 1.96 of their errors away.
void tellVerdict(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model, Verdict& verdict);

} // namespace caelumen
