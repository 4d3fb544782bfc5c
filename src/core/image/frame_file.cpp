#include "core/image/frame_file.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/fits_reader.h"
#include "core/image/no_data.h"
#include "core/image/raw_reader.h"
#include "core/image/tiff_reader.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <array>
#include <fstream>
#include <limits>

namespace caelumen {
namespace fs = std::filesystem;

Result<FrameFile> FrameFile::open(const fs::path& path, const std::string& bayer) {
    auto out = openAsStored(path);
    if (!out || bayer.empty()) return out;
    FrameInfo& info = out->m_info;
    if (!info.mosaic && info.channels.size() > 1) return Error{phrase("{} has three colour planes already; it is no mosaic {}.", shown(path), bayer)};
    info.mosaic.reset();
    if (bayer != "none") {
        info.mosaic = mosaicPattern(bayer, 0, 0, false, info.height);
        if (!info.mosaic || info.width < 2 || info.height < 2)
            return Error{phrase("\"{}\" is no mosaic of {}; give RGGB, BGGR, GRBG, GBRG or none.", bayer, shown(path))};
    }
    info.channels = info.mosaic ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"L"};
    return out;
}

Result<FrameFile> FrameFile::openAsStored(const fs::path& path) {
    if (const Status there = isFileToRead(path); !there) return there.error();
    std::array<char, 4> magic{};
    std::ifstream file(path, std::ios::binary);
    if (!file) return Error{phrase("{} cannot be opened; check its permissions.", shown(path))};
    file.read(magic.data(), magic.size());
    if (file.gcount() == 0) return Error{phrase("{} is empty; copy it again.", shown(path))};
    const std::string_view head(magic.data(), magic.size());

    FrameFile out;
    if (looksRaw(path) && !head.starts_with("SIMP")) {
        auto info = readRawInfo(path);
        if (!info) return info.error();
        out.m_kind = Kind::Raw;
        out.m_info = std::move(*info);
        return out;
    }
    if (head.starts_with("II") || head.starts_with("MM")) {
        auto info = readTiffInfo(path);
        if (!info) return info.error();
        out.m_kind = Kind::Tiff;
        out.m_info = std::move(*info);
        return out;
    }
    if (head == "SIMP" || head.starts_with("\x1f\x8b")) {
        auto image = readFitsInfo(path);
        if (!image) return image.error();
        out.m_info = std::move(image->info);
        out.m_place = image->place;
        return out;
    }
    return Error{phrase("{} is neither FITS nor TIFF; give a frame in one of these formats, or camera raw.", shown(path))};
}

Result<Plane> FrameFile::readChannel(std::size_t c, Plane spare, Rescale by, SeenOnTheWay* onTheWay) const {
    const int stored = m_info.mosaic ? 0 : static_cast<int>(c);
    if (onTheWay) onTheWay->extremes = m_info.mosaic ? RowExtremes() : RowExtremes(m_info.width, m_info.height);
    RowsSeen seen(m_info.height, onTheWay && !m_info.mosaic ? &onTheWay->extremes : nullptr);
    auto plane = m_kind == Kind::Fits ? readFitsPlane(m_info, m_place, stored, std::move(spare), by, seen) : readStored(stored);
    if (!plane) return plane;
    if (m_kind != Kind::Fits) tbb::parallel_for(0, m_info.height, [&](int y) { seen.take(plane->row(y), m_info.width, y, by); });
    if (onTheWay) onTheWay->top = seen.top();
    float zero = 0;
    rows::scale(&zero, 1, by.zero, by.factor);
    markNoData(*plane, seen, zero);
    if (m_info.mosaic) return mosaicPlane(*plane, *m_info.mosaic, static_cast<int>(c));
    return plane;
}

Result<Plane> FrameFile::readStored(int plane) const {
    if (m_kind == Kind::Fits) {
        RowsSeen seen(m_info.height);
        return readFitsPlane(m_info, m_place, plane, {}, {}, seen);
    }
    return m_kind == Kind::Raw ? readRawPlane(m_info) : readTiffPlane(m_info, plane);
}

std::optional<int> FrameFile::plainFitsExtension() const {
    if (m_kind != Kind::Fits || m_place.compressed || m_place.unpacked) return std::nullopt;
    return m_place.hdu;
}

} // namespace caelumen
