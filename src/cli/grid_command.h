#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

inline constexpr const char* kGridUsage =
    "caelumen-cli grid TRIAL.json... [--curve-only CURVE.csv...] [--kind emission|oxygen|sulphur|galaxy|reflection|stars] "
    "[--bortle 1..9 ...] [--sky-mag MAG ...] [--moon ILLUMINATED,ALTITUDE,SEPARATION|none ...] [--quantity NAME] "
    "[--brightness B] [--altitude DEGREES] [--f-ratio N] [--camera CAMERA.json|ID] [--json] [--csv TABLE.csv]";
extern const Shape kGridShape;
int grid(const Arguments& arguments);

} // namespace caelumen::cli
