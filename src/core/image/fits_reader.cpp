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
#include <cmath>
#include <fstream>
#include <mutex>
#include <optional>

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

} // namespace

namespace {

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
    int status = 0;
    std::string wrongShape;
    for (int hdu = 1; hdu <= 64; ++hdu) {
        status = 0;
        int type = 0;
        // Merely moving to a damaged compressed image can end the process.
        if (hdu == 2 && tryFirst)
            if (const Status harmless = probeFitsHeaders(from, path); !harmless) return harmless.error();
        if (fits_movabs_hdu(file, hdu, &type, &status) != 0) break;
        if (type != IMAGE_HDU && !fits_is_compressed_image(file, &status)) continue;
        status = 0;
        int dims = 0, bitpix = 0;
        std::array<LONGLONG, 9> size{};
        if (fits_get_img_dim(file, &dims, &status) != 0 || dims < 2 || dims > 9) continue;
        if (fits_get_img_sizell(file, 9, size.data(), &status) != 0) continue;
        fits_get_img_equivtype(file, &bitpix, &status);
        long long planes = 1;
        for (int d = 2; d < dims; ++d) planes = size[static_cast<std::size_t>(d)] > 0 && planes < 1000 ? planes * size[static_cast<std::size_t>(d)] : 0;
        const long long width = size[0], height = size[1];
        if (width < 1 || height < 1) continue;
        if (planes != 1 && planes != 3) {
            wrongShape = phrase("{} holds {} planes; give an image with one plane or three (red, green, blue).", shown(path), planes);
            continue;
        }
        if (width > 1'000'000 || height > 1'000'000 || width * height > kMaxPixels)
            return Error{phrase("{} claims {} x {} pixels, more than can be handled; its header is probably damaged.", shown(path), width, height)};

        int stored = 0;
        fits_get_img_type(file, &stored, &status);
        const bool compressed = fits_is_compressed_image(file, &status) != 0;
        const long long bytes = width * height * planes * (std::abs(stored) / 8);
        std::error_code ignored;
        const auto fileSize = static_cast<long long>(fs::file_size(from, ignored));
        if (!compressed && bytes > fileSize)
            return Error{phrase("{} is cut short: its header promises {} bytes of pixels but the file has {}; copy it again.", shown(path), bytes, fileSize)};
        if (compressed && width * height > kMaxPackedPixels)
            return Error{
                phrase("{} holds {} x {} compressed pixels, more than can be unpacked here; unpack it first if it is a frame.", shown(path), width, height)};
        if (compressed && bytes / 2000 > fileSize)
            return Error{phrase("{} claims far more pixels than so small a compressed file can hold; its header is probably damaged.", shown(path))};

        FitsImage out;
        out.place = {hdu, compressed, unpacked};
        out.info.path = path;
        out.info.width = static_cast<int>(width);
        out.info.height = static_cast<int>(height);
        out.info.bits = std::abs(stored); // BZERO changes the sign, not the size
        out.info.integer = stored > 0 && bitpix > 0;

        auto primary = openFits(from, path);
        if (!primary) return primary.error();
        const HeaderLookup own = lookup(file), first = lookup(primary->get());
        out.info.facts = merged(own, first);
        out.info.facts.wcs = coordinatesOf(file);
        if (!out.info.facts.wcs && hdu > 1) out.info.facts.wcs = coordinatesOf(primary->get());
        if (out.info.facts.wcs) out.info.facts.sources["wcs"] = "CRVAL1";
        const auto key = [&](const char* k) {
            auto v = own(k);
            return v ? v : first(k);
        };
        if (const auto pattern = key("BAYERPAT"); pattern && planes == 1) {
            const auto order = key("ROWORDER");
            const bool bottomUp = order && order->find("BOTTOM-UP") != std::string::npos;
            out.info.mosaic = mosaicPattern(*pattern, integerKey(key, "XBAYROFF"), integerKey(key, "YBAYROFF"), bottomUp, out.info.height);
            if (!out.info.mosaic) out.info.facts.notes.push_back(phrase("BAYERPAT '{}' is not a known mosaic; the frame counts as monochrome", *pattern));
            if (out.info.width < 2 || out.info.height < 2) out.info.mosaic.reset();
        }
        out.info.channels = planes == 3 || out.info.mosaic ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"L"};
        return out;
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

Result<Plane> readFitsPlane(const FrameInfo& info, const FitsPlace& place, int plane, Plane spare, const std::function<void(float* row, int y)>& eachRow) {
    Plane out = Plane::unfilled(info.width, info.height, std::move(spare));
    const auto width = static_cast<long long>(info.width), start = static_cast<long long>(plane) * static_cast<long long>(out.size());
    // Bands of rows side by side. Compressed tiles may be higher than a band: two pieces keep two cores busy and unpack little twice.
    const int band = place.compressed ? (info.height + 1) / 2 : static_cast<int>(std::clamp<long long>((1 << 16) / width, 8, info.height));
    const int bands = (info.height + band - 1) / band;
    std::optional<FitsRows> plain;
    const fs::path from = place.unpacked ? place.unpacked->name() : info.path;
    if (!place.compressed) {
        auto opened = FitsRows::open(from, place.hdu, info.path);
        if (!opened) return opened.error();
        plain = std::move(*opened);
    }
    const OpenFile file = plain ? plain->file() : OpenFile(-1);
    const auto read = [&](long long first, long long count, float* to) -> Status {
        if (plain) return plain->read(file, first, count, to);
        return unpackPixels(from, info.path, place.hdu, first, count, to);
    };
    std::mutex guard;
    std::optional<Error> failure;
    tbb::parallel_for(0, bands, [&](int b) {
        const int row = b * band, rows = std::min(band, info.height - row);
        const long long first = start + row * width, count = rows * width;
        const Status done = read(first, count, out.row(row));
        if (done) {
            for (int y = row; y < row + rows; ++y) eachRow(out.row(y), y);
            return;
        }
        const std::scoped_lock lock(guard);
        if (!failure) failure = done.error();
    });
    if (failure) return *failure;
    return out;
}

} // namespace caelumen
