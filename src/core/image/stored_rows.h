#pragma once

#include "core/image/fits_rows.h"
#include "core/image/frame_file.h"

#include <memory>

namespace caelumen {

/// Any rows of a frame on disk, in any order, without the rest: what stacking needs, which touches every frame band by band. An uncompressed FITS image is read
/// where it lies; all else is unpacked once into a nameless file of the temporary folder. Values are stored units with BZERO and BSCALE applied; blanks and
/// infinities come back as NaN, zero rims as zeros. Reading is safe from several threads; a thousand frames need no thousand open files.
class StoredRows {
public:
    static Result<StoredRows> open(const FrameFile& file);

    int width() const { return m_width; }
    int height() const { return m_height; }
    /// From now on values are multiplied by that.
    void scaleBy(float factor) { m_factor *= factor; }
    /// Rows y to y + count - 1 of a stored plane (0..) into `to`.
    Status read(int plane, int y, int count, float* to) const { return read(opened(), plane, y, count, to); }
    /// The same through what opened() gave, for whoever reads several times in a row.
    Status read(const OpenFile& file, int plane, int y, int count, float* to) const;
    OpenFile opened() const { return m_inPlace ? m_inPlace->file() : OpenFile(-1); }

private:
    Status readStored(const OpenFile& file, int plane, int y, int count, float* to) const;
    std::filesystem::path m_path;
    std::optional<FitsRows> m_inPlace;
    std::shared_ptr<const OpenFile> m_unpacked; ///< of the nameless file
    int m_width = 0, m_height = 0;
    float m_factor = 1;
};

} // namespace caelumen
