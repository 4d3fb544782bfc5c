#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kTransferShape;
inline constexpr const char* kTransferUsage = "caelumen-cli transfer --flats FILE FILE... --biases FILE FILE... [--lights FILE...] [--json]";

int transfer(const Arguments& a);

} // namespace caelumen::cli
