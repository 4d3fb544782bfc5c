#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>

namespace caelumen {

/// A colour TIFF, top row first, R, G and B after one another: 16-bit integers or 32-bit floats. `description`: UTF-8 for its ImageDescription; `profile`: an
/// ICC profile; `dpi`: the size in print that it names, 0 for none. Written through a temporary name.
Status writeTiff(const std::filesystem::path& path, int width, int height, std::span<const std::uint16_t> pixels, const std::string& description,
                 std::span<const char> profile = {}, int dpi = 0);
Status writeTiff(const std::filesystem::path& path, int width, int height, std::span<const float> pixels, const std::string& description,
                 std::span<const char> profile = {}, int dpi = 0);

} // namespace caelumen
