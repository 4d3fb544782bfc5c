#pragma once

#include "core/grid/measured.h"

#include <optional>

namespace caelumen::cli {

/// Trials of several files, not yet measured. Names tell them apart: the files', with their folders where two have one name. An exit code where one is bad.
std::optional<int> readTrials(const std::vector<std::string>& files, std::vector<GridTrial>& out, std::vector<std::filesystem::path>& inputs);

/// Measures them in turn. An exit code where one cannot be.
std::optional<int> measureTrials(const std::vector<std::string>& files, std::vector<GridTrial>& trials);

} // namespace caelumen::cli
