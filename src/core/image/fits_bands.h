#pragma once

#include "core/base/file.h"
#include "core/image/fits_handle.h"
#include "core/image/fits_writer.h"

namespace caelumen {

/// A FITS image of floats written band by band, in any order: an image larger than memory. Meant for the temporary name that writeThrough gives.
class FitsBandWriter {
public:
    /// `named` is the final name, which errors give.
    static Result<FitsBandWriter> create(const std::filesystem::path& part, const std::filesystem::path& named, int width, int height, int planes,
                                         const std::vector<HeaderCard>& cards);
    Status write(int plane, int y, int rows, const float* values);
    /// The last cards, and the end of the file.
    Status finish(const std::vector<HeaderCard>& cards);

private:
    Error failed(int status) const;
    std::filesystem::path m_named;
    FitsHandle m_file;
    EarlyFlush m_early;
    int m_width = 0, m_height = 0;
};

/// Writes one card into an open header.
void putCard(fitsfile* file, const HeaderCard& card, int* status);

} // namespace caelumen
