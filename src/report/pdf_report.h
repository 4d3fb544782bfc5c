#pragma once

#include "core/base/result.h"

#include <QImage>

#include <string>
#include <vector>

namespace caelumen {

/// A page of htmlReport as PDF, A4 or Letter: its drawings as pictures, its type in sheets with page numbers. The same page gives the same bytes. Needs a
/// QGuiApplication.
Result<std::string> pdfReport(const std::string& html, const std::string& title, bool letter = false);
/// The same sheets as pictures, for a preview.
std::vector<QImage> reportSheets(const std::string& html, bool letter, int width);

} // namespace caelumen
