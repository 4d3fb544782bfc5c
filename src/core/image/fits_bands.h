#pragma once

#include "core/base/file.h"
#include "core/image/fits_handle.h"
#include "core/image/fits_writer.h"

namespace caelumen {

/// A FITS image of floats written band by band, in any order: an image larger than memory. Meant for the temporary name that writeThrough gives. Headers are
/// CFITSIO's; pixels go to their places in the file in pieces as large as they come, where CFITSIO would cut them into thousands.
class FitsBandWriter {
public:
    /// `named` is the final name, which errors give.
    static Result<FitsBandWriter> create(const std::filesystem::path& part, const std::filesystem::path& named, int width, int height, int planes,
                                         const std::vector<HeaderCard>& cards);
    Status write(int plane, int y, int rows, const float* values);
    /// The last cards, and the end of the file.
    Status finish(const std::vector<HeaderCard>& cards);

private:
    explicit FitsBandWriter(OpenFile file)
        : m_file(std::move(file)) {}
    Error failed(const std::string& reason) const;
    Status put(const void* from, std::size_t bytes, long long at);
    std::filesystem::path m_part, m_named;
    OpenFile m_file;
    EarlyFlush m_early;
    long long m_start = 0; ///< of the pixels, bytes
    int m_width = 0, m_height = 0;
    std::vector<float> m_turned;
};

/// Writes one card into an open header.
void putCard(fitsfile* file, const HeaderCard& card, int* status);

} // namespace caelumen
