#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>

namespace caelumen {

/// The whole of a text file. Files above `limit` bytes are refused before anything is allocated.
Result<std::string> readText(const std::filesystem::path& path, std::size_t limit = 64u << 20);

/// Writes beside the final name and renames when all bytes are on the disk: a file is there whole or not at all.
Status writeFile(const std::filesystem::path& path, std::string_view bytes);

/// Calls `write` with a temporary name in the same folder; renames it to `path` when that succeeds, removes it otherwise.
Status writeThrough(const std::filesystem::path& path, const std::function<Status(const std::filesystem::path&)>& write);

/// The name of what is written beside a stack: "b.fits" and "odd" make "b-odd.fits".
std::filesystem::path besideStack(const std::filesystem::path& stack, const std::string& what);

} // namespace caelumen
