#pragma once

#include "app/verdict/verdict_model.h"

#include <QString>

namespace caelumen {

/// The page beside the ranking: for whom, not for whom, what another weight would change, what was not tested; and what the chosen filter's score is made of.
QString verdictPage(const VerdictModel& model, int chosen);
/// The same as plain sentences, to be copied.
QString verdictText(const Verdict& verdict);
/// Ranking and value as a table, tabs between.
QString verdictTable(const Verdict& verdict);
/// Old against new, as a page.
QString oldNewPage(const VerdictModel& model);

} // namespace caelumen
