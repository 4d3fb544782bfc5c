#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

extern const Shape kComposeShape;
inline constexpr const char* kComposeUsage = "caelumen-cli compose RECIPE.json --out PICTURE.tif|.png";

int compose(const Arguments& a);

} // namespace caelumen::cli
