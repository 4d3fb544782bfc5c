#pragma once

#include "cli/arguments.h"

namespace caelumen::cli {

/// The commands that caelumen-paint does: caelumen-cli knows what they take.
inline const Shape kReportShape{{"--out", "--trial", "--profile", "--template", "--paper"}, {}, 1, 1};
inline constexpr const char* kReportUsage = "caelumen-cli report TRIAL.json|CAMPAIGN|RESULTS.json --out FILE.html|.pdf|.zip|.csv|.json [--trial N] [--profile "
                                            "PROFILE.json] [--template PAGE.html] [--paper a4|letter]";
inline const Shape kComposeShape{{"--out"}, {}, 1, 1};
inline constexpr const char* kComposeUsage = "caelumen-cli compose RECIPE.json --out PICTURE.tif|.png";

int report(const Arguments& a);
int compose(const Arguments& a);

} // namespace caelumen::cli
