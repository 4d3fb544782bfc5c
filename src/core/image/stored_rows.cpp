#include "core/image/stored_rows.h"

#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/text.h"
#include "core/image/no_data.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;

Result<StoredRows> StoredRows::open(const FrameFile& file) {
    StoredRows out;
    out.m_path = file.info().path;
    out.m_width = file.info().width;
    out.m_height = file.info().height;
    if (const auto hdu = file.plainFitsExtension()) {
        auto rows = FitsRows::open(out.m_path, *hdu);
        if (!rows) return rows.error();
        out.m_inPlace = std::move(*rows);
        return out;
    }
    // Unpacked once, into a file that is gone when nobody reads it any more.
    auto unpacked = unnamedFile(phrase("{} cannot be unpacked", shown(out.m_path)));
    if (!unpacked) return unpacked.error();
    const int planes = file.info().mosaic ? 1 : static_cast<int>(file.info().channels.size());
    for (int p = 0; p < planes; ++p) {
        const auto plane = file.readStored(p);
        if (!plane) return plane.error();
        if (!unpacked->append(plane->data(), plane->size() * sizeof(float)))
            return Error{
                phrase("{} cannot be unpacked into {} ({}); make room there.", shown(out.m_path), shown(fs::temp_directory_path()), std::strerror(errno))};
    }
    out.m_unpacked = std::make_shared<const OpenFile>(std::move(*unpacked));
    return out;
}

Status StoredRows::read(const OpenFile& file, int plane, int y, int count, float* to) const {
    if (Status done = readStored(file, plane, y, count, to); !done) return done;
    if (m_factor != 1) rows::scale(to, static_cast<std::int64_t>(count) * m_width, 0, m_factor);
    return Done{};
}

Status StoredRows::readStored(const OpenFile& file, int plane, int y, int count, float* to) const {
    const auto pixels = static_cast<long long>(count) * m_width, first = (static_cast<long long>(plane) * m_height + y) * m_width;
    if (m_inPlace) {
        if (Status done = m_inPlace->read(file, first, pixels, to); !done) return done;
        RowsSeen seen(m_inPlace->isFloat() ? count : 0); // infinities become NaN
        for (int row = 0; row < count && m_inPlace->isFloat(); ++row) seen.take(to + static_cast<std::ptrdiff_t>(row) * m_width, m_width, row, {});
        return Done{};
    }
    constexpr auto kSize = static_cast<long long>(sizeof(float));
    if (m_unpacked->read(to, static_cast<std::size_t>(pixels * kSize), first * kSize)) return Done{};
    return Error{phrase("{} could not be read again from the temporary folder; check the disk.", shown(m_path))};
}

} // namespace caelumen
