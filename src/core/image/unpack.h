#pragma once

#include "core/base/result.h"

#include <filesystem>

namespace caelumen {

/// Pixels of a tile-compressed FITS image, as FitsPixelReader gives them, unpacked in a process of its own: damaged
/// compressed data can lead the unpacking astray, and must not take this process along. The program for it lies beside this one, in
/// ../libexec/caelumen, or where it was built; without it the answer is an Error, which calls the file `named`.
Status unpackPixels(const std::filesystem::path& path, const std::filesystem::path& named, int hdu, long long first, long long count, float* to);

/// Whether reading the headers of a FITS file leads the library astray, tried in a process of its own too. Needed where an extension may be a compressed image.
Status probeFitsHeaders(const std::filesystem::path& path, const std::filesystem::path& named);

} // namespace caelumen
