#include "core/sky/evening.h"

#include "core/sky/night_track.h"

#include <cmath>

namespace caelumen {

std::string nightOf(const std::string& start, std::optional<double> longitude_deg) {
    const auto time = parseTime(start);
    if (!time) return {};
    return isoTime(time->plusSeconds(-43200 + 240 * std::remainder(longitude_deg.value_or(0), 360))).substr(0, 10);
}

} // namespace caelumen
