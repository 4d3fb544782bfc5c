#pragma once

#include "core/base/result.h"

#include <string>

namespace caelumen {

/// A page of htmlReport as PDF, A4: its drawings as pictures, its type in sheets with page numbers. Needs a QGuiApplication.
Result<std::string> pdfReport(const std::string& html, const std::string& title);

} // namespace caelumen
