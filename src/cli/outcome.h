#pragma once

#include <optional>
#include <string>

namespace caelumen::cli {

inline constexpr int kDone = 0, kFailed = 1, kUsage = 2;

/// One line on the standard error; the exit code of bad input.
int fail(const std::string& sentence);
/// The same for wrong usage.
int misuse(const std::string& what, const std::string& usage);

/// A whole number within limits, or nothing.
std::optional<int> wholeNumber(const std::string& text, int low, int high);
/// A finite number within limits, ends included, the whole of the text; or nothing.
std::optional<double> number(const std::string& text, double low, double high);

} // namespace caelumen::cli
