#pragma once

#include "core/base/result.h"
#include "core/image/fits_handle.h"

#include <filesystem>

namespace caelumen {

/// Opens a FITS file for reading, with a sentence where that cannot be.
Result<FitsHandle> openFits(const std::filesystem::path& path, const std::filesystem::path& named);

/// The pixels of one image extension, as floats with BSCALE and BZERO applied and blanks as NaN.
/// One reader belongs to one thread.
class FitsPixelReader {
public:
    /// `hdu` counts from 1.
    static Result<FitsPixelReader> open(const std::filesystem::path& path, int hdu);

    /// `count` pixels in stored order from `first` (0-based) on.
    Status read(long long first, long long count, float* to);

private:
    std::filesystem::path m_path;
    FitsHandle m_file;
    bool m_plain = false; ///< 32-bit floats as they are: they carry their own NaN
};

} // namespace caelumen
