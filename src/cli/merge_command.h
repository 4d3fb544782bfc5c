#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kMergeShape;
inline constexpr const char* kMergeUsage = "caelumen-cli merge RESULTS.json... [--json]";

int merge(const Arguments& a);

} // namespace caelumen::cli
