#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/model/results.h"
#include "report/report_extras.h"

#include <filesystem>
#include <string>

namespace caelumen {

/// One page that needs nothing else: pictures of all runs with one stretch and the regions drawn, the five scores with whiskers, plots, all figures, the
/// conditions, what was unfair, the method, and what the extras hold: verdict, colour pictures, words of the person. The same input gives the same bytes.
/// `folder` is what the trial's file names are relative to; without frames the page has no pictures.
Result<std::string> htmlReport(const Trial& trial, const TrialResults& results, const std::filesystem::path& folder, const Job& job = {},
                               const ReportExtras& extras = {});

} // namespace caelumen
