#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kEvidenceShape;
inline constexpr const char* kEvidenceUsage = "caelumen-cli evidence TABLE.csv... [--alpha A] [--swaps-only] [--json]";

int evidence(const Arguments& a);

} // namespace caelumen::cli
