#pragma once

#include <optional>
#include <string>

namespace caelumen {

/// The evening's date of a moment (ISO 8601), noon to noon by the sun at the place; empty for no time.
std::string nightOf(const std::string& start, std::optional<double> longitude_deg);

} // namespace caelumen
