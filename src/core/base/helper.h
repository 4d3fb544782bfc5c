#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace caelumen {

/// Where a program lies that only this one starts: beside it, where packages put such, or in the tree it was built in. Nothing where it is missing.
std::optional<std::filesystem::path> helperProgram(const std::string& name);

} // namespace caelumen
