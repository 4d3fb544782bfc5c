#pragma once

#include "core/base/file_view.h"
#include "core/base/open_file.h"
#include "core/base/result.h"

#include <cstddef>
#include <filesystem>
#include <optional>

namespace caelumen {

/// The pixels of an uncompressed FITS image where they lie in the file, as floats with BSCALE and BZERO applied (FITS standard 4.0, sections 4.4.2 and 5).
/// Blanks of integers come back as NaN; floats as they are, infinities too. Reading is safe from several threads, from any place, and needs no open file in
/// between.
class FitsRows {
public:
    /// `hdu` counts from 1. `named` is the name in errors where it is not the path.
    static Result<FitsRows> open(const std::filesystem::path& path, int hdu, const std::filesystem::path& named = {});

    /// `count` pixels in stored order from `first` (0-based) on.
    Status read(long long first, long long count, float* to) const;
    /// The same through a file that is open already.
    Status read(const OpenFile& file, long long first, long long count, float* to) const;
    OpenFile file() const;
    /// The same pixels where the system holds them, as 32-bit big-endian floats; nothing where they are stored in another way, or cannot be seen so.
    std::optional<FileView> view(const OpenFile& file, long long first, long long count) const;
    Error cannotBeRead() const;
    /// Floats may hold infinities.
    bool isFloat() const { return m_bitpix < 0; }

private:
    std::filesystem::path m_path, m_named;
    long long m_start = 0; ///< of the pixels, bytes
    int m_bitpix = -32;
    double m_zero = 0, m_scale = 1;
    std::optional<long long> m_blank;
};

} // namespace caelumen
