#include "core/image/fits_reader.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/fits_facts.h"
#include "core/image/fits_pixels.h"
#include "core/image/fits_rows.h"
#include "core/image/fits_structure.h"
#include "core/image/unpack.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <fstream>
#include <mutex>
#include <optional>
#include <vector>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr long long kMaxPixels = 1LL << 29, kMaxPackedPixels = 1LL << 28; // a plane

bool isGzipped(const fs::path& path) {
    std::ifstream file(path, std::ios::binary);
    return file.get() == 0x1f && file.get() == 0x8b;
}

HeaderLookup lookup(fitsfile* file) {
    return [file](const char* keyword) -> std::optional<std::string> {
        char value[FLEN_VALUE] = {};
        int status = 0;
        if (fits_read_keyword(file, keyword, value, nullptr, &status) != 0) {
            fits_clear_errmsg();
            return std::nullopt;
        }
        std::string text = value;
        if (text.size() >= 2 && text.front() == '\'') {
            text = text.substr(1, text.rfind('\'') - 1);
            for (auto at = text.find("''"); at != std::string::npos; at = text.find("''", at + 1)) text.erase(at, 1);
        }
        while (!text.empty() && text.back() == ' ') text.pop_back();
        while (!text.empty() && text.front() == ' ') text.erase(0, 1);
        // FORTRAN exponents.
        if (!text.empty() && (std::isdigit(static_cast<unsigned char>(text.front())) || text.front() == '-' || text.front() == '.'))
            std::replace(text.begin(), text.end(), 'D', 'E');
        return text.empty() ? std::nullopt : std::optional(oneLine(text));
    };
}

/// The facts of two headers, the first winning.
FrameFacts merged(const HeaderLookup& first, const HeaderLookup& second) {
    return factsFromHeader([&](const char* keyword) {
        auto value = first(keyword);
        return value ? value : second(keyword);
    });
}

std::optional<SkyCoordinates> coordinatesOf(fitsfile* file) {
    char* cards = nullptr;
    int count = 0, status = 0;
    std::optional<SkyCoordinates> out;
    if (fits_convert_hdr2str(file, 1, nullptr, 0, &cards, &count, &status) == 0) out = SkyCoordinates::read(cards);
    if (cards) fits_free_memory(cards, &status);
    fits_clear_errmsg();
    return out;
}

int integerKey(const HeaderLookup& header, const char* keyword) {
    const auto value = headerNumber(header(keyword));
    return value && std::abs(*value) < 1e6 ? static_cast<int>(std::lround(*value)) : 0;
}

/// The image of the unit that is current.
struct Shape {
    long long width = 0, height = 0, planes = 0; ///< planes: 0 where they are too many to count
    int stored = 0;                              ///< as in BITPIX, as it lies there
    int shown = 0;                               ///< the same as BZERO makes it
    bool compressed = false;
};

std::optional<Shape> shapeHere(fitsfile* file, int type) {
    int status = 0;
    if (type != IMAGE_HDU && !fits_is_compressed_image(file, &status)) return std::nullopt;
    status = 0;
    int dims = 0;
    std::array<LONGLONG, 9> size{};
    if (fits_get_img_dim(file, &dims, &status) != 0 || dims < 2 || dims > 9) return std::nullopt;
    if (fits_get_img_sizell(file, 9, size.data(), &status) != 0) return std::nullopt;
    Shape out;
    fits_get_img_equivtype(file, &out.shown, &status);
    fits_get_img_type(file, &out.stored, &status);
    out.compressed = fits_is_compressed_image(file, &status) != 0;
    out.width = size[0], out.height = size[1], out.planes = 1;
    for (std::size_t d = 2; d < static_cast<std::size_t>(dims); ++d) out.planes = size[d] > 0 && out.planes < 1000 ? out.planes * size[d] : 0;
    if (out.width < 1 || out.height < 1) return std::nullopt;
    return out;
}

/// Whether so many pixels can be there at all. `from`: the file that holds them, unpacked where `path` is packed.
Status checkSize(const Shape& s, const fs::path& path, const fs::path& from) {
    if (s.width > 1'000'000 || s.height > 1'000'000 || s.width * s.height > kMaxPixels)
        return Error{phrase("{} claims {} x {} pixels, more than can be handled; its header is probably damaged.", shown(path), s.width, s.height)};
    const long long bytes = s.width * s.height * s.planes * (std::abs(s.stored) / 8);
    std::error_code ignored;
    const auto fileSize = static_cast<long long>(fs::file_size(from, ignored));
    if (!s.compressed && bytes > fileSize)
        return Error{phrase("{} is cut short: its header promises {} bytes of pixels but the file has {}; copy it again.", shown(path), bytes, fileSize)};
    if (s.compressed && s.width * s.height > kMaxPackedPixels)
        return Error{
            phrase("{} holds {} x {} compressed pixels, more than can be unpacked here; unpack it first if it is a frame.", shown(path), s.width, s.height)};
    if (s.compressed && bytes / 2000 > fileSize)
        return Error{phrase("{} claims far more pixels than so small a compressed file can hold; its header is probably damaged.", shown(path))};
    return Done{};
}

/// Facts of the image's own header, and of the file's first one where that is silent.
FrameInfo infoOf(const fs::path& path, const Shape& s, fitsfile* own, fitsfile* first, bool isFirst) {
    FrameInfo info;
    info.path = path;
    info.width = static_cast<int>(s.width);
    info.height = static_cast<int>(s.height);
    info.bits = std::abs(s.stored); // BZERO changes the sign, not the size
    info.integer = s.stored > 0 && s.shown > 0;
    const HeaderLookup here = lookup(own), there = lookup(first);
    info.facts = merged(here, there);
    info.facts.wcs = coordinatesOf(own);
    if (!info.facts.wcs && !isFirst) info.facts.wcs = coordinatesOf(first);
    if (info.facts.wcs) info.facts.sources["wcs"] = "CRVAL1";
    const auto key = [&](const char* k) {
        auto v = here(k);
        return v ? v : there(k);
    };
    if (const auto pattern = key("BAYERPAT"); pattern && s.planes == 1) {
        const auto order = key("ROWORDER");
        const bool bottomUp = order && order->find("BOTTOM-UP") != std::string::npos;
        info.mosaic = mosaicPattern(*pattern, integerKey(key, "XBAYROFF"), integerKey(key, "YBAYROFF"), bottomUp, info.height);
        if (!info.mosaic) info.facts.notes.push_back(phrase("BAYERPAT '{}' is not a known mosaic; the frame counts as monochrome", *pattern));
        if (info.width < 2 || info.height < 2) info.mosaic.reset();
    }
    info.channels = s.planes == 3 || info.mosaic ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"L"};
    return info;
}

/// The first image of a file with one plane or three.
Result<FitsImage> findImage(const fs::path& path, bool tryFirst) {
    std::shared_ptr<const OpenFile> unpacked;
    if (isGzipped(path)) {
        auto inside = unpackGzippedFits(path);
        if (!inside) return inside.error();
        unpacked = std::move(*inside);
    } else if (const Status sound = checkFitsStructure(path); !sound) {
        return sound.error();
    }
    const fs::path from = unpacked ? unpacked->name() : path;
    auto opened = openFits(from, path);
    if (!opened) return opened.error();
    fitsfile* file = opened->get();
    std::string wrongShape;
    for (int hdu = 1; hdu <= 64; ++hdu) {
        int type = 0, status = 0;
        // Merely moving to a damaged compressed image can end the process.
        if (hdu == 2 && tryFirst)
            if (const Status harmless = probeFitsHeaders(from, path); !harmless) return harmless.error();
        if (fits_movabs_hdu(file, hdu, &type, &status) != 0) break;
        const auto shape = shapeHere(file, type);
        if (!shape) continue;
        if (shape->planes != 1 && shape->planes != 3) {
            wrongShape = phrase("{} holds {} planes; give an image with one plane or three (red, green, blue).", shown(path), shape->planes);
            continue;
        }
        if (const Status possible = checkSize(*shape, path, from); !possible) return possible.error();
        auto primary = openFits(from, path);
        if (!primary) return primary.error();
        return FitsImage{infoOf(path, *shape, file, primary->get(), hdu == 1), {hdu, shape->compressed, unpacked}};
    }
    if (!wrongShape.empty()) return Error{wrongShape};
    return Error{phrase("{} holds no image; give a FITS file with an image in one of its extensions.", shown(path))};
}

} // namespace

Result<FitsImage> readFitsInfo(const fs::path& path) {
    return findImage(path, true);
}
Result<FitsImage> readFitsInfoHere(const fs::path& path) {
    return findImage(path, false);
}

namespace {

/// Calls take(begin, end) for bands of rows side by side.
template<class Take>
void inBands(int height, int rows, Take take) {
    tbb::parallel_for(0, (height + rows - 1) / rows, [&](int band) { take(band * rows, std::min(height, (band + 1) * rows)); });
}

/// Rows of floats from where the system holds them.
void takeView(const FileView& view, Rescale by, RowsSeen& seen, Plane& out) {
    constexpr long long kTogether = 1 << 18; // pixels for one thread
    constexpr int kReleased = 8;             // bands whose pages are given back together: each time all threads are interrupted
    const std::size_t rowBytes = static_cast<std::size_t>(out.width()) * sizeof(float);
    const int rows = static_cast<int>(std::clamp<long long>(kTogether / out.width(), 1, out.height())), large = rows * kReleased;
    std::vector<std::atomic<int>> left(static_cast<std::size_t>((out.height() + large - 1) / large)); // rows to be read yet
    for (std::size_t i = 0; i < left.size(); ++i) left[i] = std::min(large, out.height() - static_cast<int>(i) * large);
    inBands(out.height(), rows, [&](int begin, int end) {
        view.expect(static_cast<std::size_t>(begin) * rowBytes, static_cast<std::size_t>(end - begin) * rowBytes);
        for (int y = begin; y < end; ++y)
            seen.takeTurned(reinterpret_cast<const std::uint32_t*>(view.data() + static_cast<std::size_t>(y) * rowBytes), out.width(), y, by, out.row(y));
        const int first = begin / large * large, after = std::min(out.height(), first + large);
        if ((left[static_cast<std::size_t>(begin / large)] -= end - begin) == 0)
            view.release(static_cast<std::size_t>(first) * rowBytes, static_cast<std::size_t>(after - first) * rowBytes);
    });
}

} // namespace

Result<Plane> readFitsPlane(const FrameInfo& info, const FitsPlace& place, int plane, Plane spare, Rescale by, RowsSeen& seen) {
    Plane out = Plane::unfilled(info.width, info.height, std::move(spare));
    const auto width = static_cast<long long>(info.width), start = static_cast<long long>(plane) * static_cast<long long>(out.size());
    // Bands of rows side by side. Compressed tiles may be higher than a band: two pieces keep two cores busy and unpack little twice.
    const int band = place.compressed ? (info.height + 1) / 2 : static_cast<int>(std::clamp<long long>((1 << 16) / width, 8, info.height));
    std::optional<FitsRows> plain;
    const fs::path from = place.unpacked ? place.unpacked->name() : info.path;
    if (!place.compressed) {
        auto opened = FitsRows::open(from, place.hdu, info.path);
        if (!opened) return opened.error();
        plain = std::move(*opened);
    }
    const OpenFile file = plain ? plain->file() : OpenFile(-1);
    if (const auto view = plain ? plain->view(file, start, static_cast<long long>(out.size())) : std::nullopt) {
        takeView(*view, by, seen, out);
        if (!view->isWhole()) return plain->cannotBeRead();
        return out;
    }
    const auto read = [&](long long first, long long count, float* to) -> Status {
        if (plain) return plain->read(file, first, count, to);
        return unpackPixels(from, info.path, place.hdu, first, count, to);
    };
    std::mutex guard;
    std::optional<Error> failure;
    inBands(info.height, band, [&](int begin, int end) {
        const Status done = read(start + begin * width, (end - begin) * width, out.row(begin));
        if (done) {
            for (int y = begin; y < end; ++y) seen.take(out.row(y), info.width, y, by);
            return;
        }
        const std::scoped_lock lock(guard);
        if (!failure) failure = done.error();
    });
    if (failure) return *failure;
    return out;
}

} // namespace caelumen
