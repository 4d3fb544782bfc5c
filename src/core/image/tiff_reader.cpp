#include "core/image/tiff_reader.h"

#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <tiffio.h>

#include <cstdint>
#include <cstring>
#include <memory>
#include <mutex>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

struct TiffClose {
    void operator()(TIFF* t) const { TIFFClose(t); }
};
using TiffHandle = std::unique_ptr<TIFF, TiffClose>;

constexpr std::uint64_t kMaxPixels = 1ULL << 29;

struct Layout {
    std::uint32_t width = 0, height = 0;
    std::uint16_t bits = 1, samples = 1, format = SAMPLEFORMAT_UINT, planar = PLANARCONFIG_CONTIG, photometric = PHOTOMETRIC_MINISBLACK;
};

TiffHandle openTiff(const fs::path& path) {
    // The library prints to stderr by default; failures are told through Result instead.
    static std::once_flag quiet;
    std::call_once(quiet, [] {
        TIFFSetErrorHandler(nullptr);
        TIFFSetWarningHandler(nullptr);
    });
    return TiffHandle(TIFFOpen(path.c_str(), "rm")); // 'm': no memory map, so a file cut while open cannot fault
}

Layout layoutOf(TIFF* tiff) {
    Layout l;
    TIFFGetField(tiff, TIFFTAG_IMAGEWIDTH, &l.width);
    TIFFGetField(tiff, TIFFTAG_IMAGELENGTH, &l.height);
    TIFFGetFieldDefaulted(tiff, TIFFTAG_BITSPERSAMPLE, &l.bits);
    TIFFGetFieldDefaulted(tiff, TIFFTAG_SAMPLESPERPIXEL, &l.samples);
    TIFFGetFieldDefaulted(tiff, TIFFTAG_SAMPLEFORMAT, &l.format);
    TIFFGetFieldDefaulted(tiff, TIFFTAG_PLANARCONFIG, &l.planar);
    TIFFGetField(tiff, TIFFTAG_PHOTOMETRIC, &l.photometric);
    return l;
}

float sampleAt(const std::uint8_t* p, const Layout& l) {
    const auto as = [p](auto value) {
        std::memcpy(&value, p, sizeof value);
        return static_cast<float>(value);
    };
    const bool isSigned = l.format == SAMPLEFORMAT_INT;
    if (l.format == SAMPLEFORMAT_IEEEFP) return l.bits == 64 ? as(double{}) : as(float{});
    if (l.bits == 8) return isSigned ? as(std::int8_t{}) : as(std::uint8_t{});
    if (l.bits == 16) return isSigned ? as(std::int16_t{}) : as(std::uint16_t{});
    return isSigned ? as(std::int32_t{}) : as(std::uint32_t{});
}

/// Copies `count` pixels of one channel out of a decoded row.
void unpack(const std::uint8_t* row, std::uint32_t count, const Layout& l, int channel, float* to) {
    const bool contiguous = l.planar == PLANARCONFIG_CONTIG;
    const std::size_t bytes = l.bits / 8u;
    const std::size_t step = contiguous ? bytes * l.samples : bytes;
    const std::uint8_t* p = row + (contiguous ? bytes * static_cast<std::size_t>(channel) : 0);
    for (std::uint32_t x = 0; x < count; ++x, p += step) to[x] = sampleAt(p, l);
}

Error cutShort(const fs::path& path) {
    return Error{phrase("The pixels of {} cannot be read; the file is damaged or cut short, copy it again.", shown(path))};
}

Status readTiles(TIFF* tiff, const Layout& l, int channel, Plane& out, const fs::path& path) {
    std::uint32_t tw = 0, th = 0;
    TIFFGetField(tiff, TIFFTAG_TILEWIDTH, &tw);
    TIFFGetField(tiff, TIFFTAG_TILELENGTH, &th);
    const auto size = TIFFTileSize64(tiff);
    if (tw == 0 || th == 0 || size == 0 || size > (1ULL << 30)) return cutShort(path);
    const std::size_t rowBytes = static_cast<std::size_t>(TIFFTileRowSize64(tiff));
    std::vector<std::uint8_t> tile(static_cast<std::size_t>(size));
    const auto sample = static_cast<std::uint16_t>(l.planar == PLANARCONFIG_CONTIG ? 0 : channel);
    for (std::uint32_t y = 0; y < l.height; y += th) {
        for (std::uint32_t x = 0; x < l.width; x += tw) {
            if (TIFFReadTile(tiff, tile.data(), x, y, 0, sample) < 0) return cutShort(path);
            for (std::uint32_t r = 0; r < th && y + r < l.height; ++r)
                unpack(tile.data() + r * rowBytes, std::min(tw, l.width - x), l, channel, out.row(static_cast<int>(y + r)) + x);
        }
    }
    return Done{};
}

Status readRows(TIFF* tiff, const Layout& l, int channel, Plane& out, const fs::path& path) {
    const auto size = TIFFScanlineSize64(tiff);
    const std::uint64_t needed = static_cast<std::uint64_t>(l.width) * (l.bits / 8u) * (l.planar == PLANARCONFIG_CONTIG ? l.samples : 1u);
    if (size < needed || size > (1ULL << 30)) return cutShort(path);
    std::vector<std::uint8_t> row(static_cast<std::size_t>(size));
    const auto sample = static_cast<std::uint16_t>(l.planar == PLANARCONFIG_CONTIG ? 0 : channel);
    for (std::uint32_t y = 0; y < l.height; ++y) {
        if (TIFFReadScanline(tiff, row.data(), y, sample) < 0) return cutShort(path);
        unpack(row.data(), l.width, l, channel, out.row(static_cast<int>(y)));
    }
    return Done{};
}

} // namespace

Result<FrameInfo> readTiffInfo(const fs::path& path) {
    const TiffHandle tiff = openTiff(path);
    if (!tiff) return Error{phrase("{} cannot be read as TIFF; check that it is a whole, undamaged TIFF file.", shown(path))};
    const Layout l = layoutOf(tiff.get());
    if (l.width == 0 || l.height == 0) return Error{phrase("{} has no pixels; its header is probably damaged.", shown(path))};
    if (static_cast<std::uint64_t>(l.width) * l.height > kMaxPixels || l.width > 1'000'000 || l.height > 1'000'000)
        return Error{phrase("{} claims {} x {} pixels, more than can be handled; its header is probably damaged.", shown(path), l.width, l.height)};
    const bool isFloat = l.format == SAMPLEFORMAT_IEEEFP;
    const bool known = isFloat ? (l.bits == 32 || l.bits == 64)
                               : (l.format == SAMPLEFORMAT_UINT || l.format == SAMPLEFORMAT_INT || l.format == SAMPLEFORMAT_VOID) &&
                                     (l.bits == 8 || l.bits == 16 || l.bits == 32);
    if (!known) return Error{phrase("{} has {}-bit samples of a kind that is not supported; save it with 16 or 32 bits.", shown(path), l.bits)};
    if (l.photometric != PHOTOMETRIC_MINISBLACK && l.photometric != PHOTOMETRIC_RGB)
        return Error{phrase("{} is not a plain grey or RGB picture; save it as uncompressed grey or RGB TIFF.", shown(path))};
    std::uint16_t compression = COMPRESSION_NONE;
    TIFFGetFieldDefaulted(tiff.get(), TIFFTAG_COMPRESSION, &compression);
    std::error_code ignored;
    const std::uint64_t bytes = static_cast<std::uint64_t>(l.width) * l.height * l.samples * (l.bits / 8u), size = fs::file_size(path, ignored);
    if (compression == COMPRESSION_NONE ? bytes > size : bytes / 5000 > size)
        return Error{phrase("{} is cut short: its header promises more pixels than the file has; copy it again.", shown(path))};

    FrameInfo info;
    info.path = path;
    info.width = static_cast<int>(l.width);
    info.height = static_cast<int>(l.height);
    info.bits = l.bits;
    info.integer = !isFloat;
    info.channels = l.samples >= 3 ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"L"};
    return info;
}

Result<Plane> readTiffPlane(const FrameInfo& info, int channel) {
    const TiffHandle tiff = openTiff(info.path);
    if (!tiff) return Error{phrase("{} cannot be opened any more; put it back.", shown(info.path))};
    const Layout l = layoutOf(tiff.get());
    if (static_cast<int>(l.width) != info.width || static_cast<int>(l.height) != info.height || channel >= l.samples)
        return Error{phrase("{} has changed while it was in use; load it again.", shown(info.path))};
    Plane out = Plane::unfilled(info.width, info.height);
    const Status read = TIFFIsTiled(tiff.get()) ? readTiles(tiff.get(), l, channel, out, info.path) : readRows(tiff.get(), l, channel, out, info.path);
    if (!read) return read.error();
    return out;
}

} // namespace caelumen
