#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace caelumen {

/// A moment by the calendar, UTC.
struct CivilTime {
    int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0;
    std::string_view fraction; ///< of the second, as it stood in the text: ".25", or nothing
    double seconds() const;    ///< with their fraction
};

/// A time as people and headers write it (ISO 8601: 2026-06-20T18:05, with seconds and their fraction, with Z or an offset such as +02:00 where it is not
/// UTC). Years 1000 to 9999. Nothing for a time that does not exist and for anything that stands before or after it. `text` must outlive what comes back.
std::optional<CivilTime> civilTime(std::string_view text);
/// The same as UTC with a Z at its end; the fraction stays as it was written.
std::optional<std::string> utcTime(std::string_view text);

} // namespace caelumen
