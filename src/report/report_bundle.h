#pragma once

#include "core/base/job.h"
#include "core/model/results.h"
#include "report/report_extras.h"

#include <filesystem>

namespace caelumen {

/// Files as one zip archive; the same files give the same bytes.
Result<std::string> zipped(const std::vector<std::pair<std::string, std::string>>& files);

/// A whole report as a zip: report.html and report.pdf, results as JSON and CSV, the trial, the facts of its frames, profile and verdict, every figure and the
/// summary cards as drawings, pictures of all runs. The same input gives the same bytes. Needs a QGuiApplication.
Result<std::string> reportBundle(const Trial& trial, const TrialResults& results, const std::filesystem::path& folder, const ReportExtras& extras,
                                 const Job& job = {});

} // namespace caelumen
