#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kVerdictShape;
inline constexpr const char* kVerdictUsage = "caelumen-cli verdict PROFILE.json TRIAL.json... [--json]";

int verdict(const Arguments& a);

} // namespace caelumen::cli
