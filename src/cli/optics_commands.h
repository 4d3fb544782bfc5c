#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kPassbandShape, kSkyShape;
inline constexpr const char* kPassbandUsage = "caelumen-cli passband CURVE.csv --f-ratio N [--obstruction X] [--n-eff X] [--tilt DEGREES] [--json]";
inline constexpr const char* kSkyUsage = "caelumen-cli sky --lat D --lon D [--elevation M] --time ISO8601 --ra D --dec D [--json]";

int passband(const Arguments& a);
int sky(const Arguments& a);

} // namespace caelumen::cli
