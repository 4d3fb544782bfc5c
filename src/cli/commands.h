#pragma once

#include <string>
#include <vector>

namespace caelumen::cli {

/// Runs one command; the exit code: 0 done, 1 the input is bad or could not be measured, 2 wrong usage.
int run(const std::vector<std::string>& words);

} // namespace caelumen::cli
