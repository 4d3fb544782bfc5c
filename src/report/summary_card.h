#pragma once

#include "core/model/results.h"
#include "report/report_extras.h"

#include <QByteArray>
#include <QImage>
#include <QSize>

namespace caelumen {

/// One picture that says it all: title, what came out, the ranking or the time ratios with their errors, and the conditions that it holds under.
inline constexpr QSize kWideCard{1200, 630}, kTallCard{1080, 1350};
QImage summaryCard(const Trial& trial, const TrialResults& results, const ReportExtras& extras, QSize size);
QByteArray summaryCardSvg(const Trial& trial, const TrialResults& results, const ReportExtras& extras, QSize size);

} // namespace caelumen
