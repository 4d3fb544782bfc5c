#pragma once

#include "core/model/trial.h"

#include <optional>
#include <string>

namespace caelumen {

/// How long a comparison can go on under the sky that it began under.
struct TimeLeft {
    double seconds = 0; ///< from that moment
    std::string until;  ///< what ends it, in words: "dawn", "the moon rises", "the target sinks below 30 degrees"
};

/// From a moment (ISO 8601, UTC) on; nothing where place or target are not known or it is day.
std::optional<TimeLeft> timeLeft(const Site& site, const Target& target, const std::string& from);

} // namespace caelumen
