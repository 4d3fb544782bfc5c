#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace caelumen {

/// A time as people and headers write it (ISO 8601: 2026-06-20T18:05, with seconds and their fraction, with Z or an offset such as +02:00 where it is not UTC)
/// as UTC with a Z at its end. The fraction stays as it was written; years 1000 to 9999. Nothing for a time that does not exist and for anything that stands
/// before or after it.
std::optional<std::string> utcTime(std::string_view text);

} // namespace caelumen
