#include "core/image/fits_rows.h"

#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/text.h"
#include "core/image/fits_pixels.h"
#include "core/image/plane.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fcntl.h>
#include <type_traits>
#include <unistd.h>
#include <vector>

namespace caelumen {

namespace {

std::uint16_t swapped(std::uint16_t v) {
    return __builtin_bswap16(v);
}
std::uint32_t swapped(std::uint32_t v) {
    return __builtin_bswap32(v);
}
std::uint64_t swapped(std::uint64_t v) {
    return __builtin_bswap64(v);
}
std::uint8_t swapped(std::uint8_t v) {
    return v;
}

template<class Raw, class Value>
void convert(const char* from, std::size_t count, double zero, double scale, std::optional<long long> blank, float* to) {
    const bool plain = scale == 1 && !blank && zero == static_cast<double>(static_cast<float>(zero)) && sizeof(Raw) <= 2;
    const auto offset = static_cast<float>(zero);
    for (std::size_t i = 0; i < count; ++i) {
        Raw raw;
        std::memcpy(&raw, from + i * sizeof(Raw), sizeof(Raw));
        const Value v = std::bit_cast<Value>(swapped(raw));
        if constexpr (std::is_integral_v<Value>) {
            if (plain)
                to[i] = static_cast<float>(v) + offset;
            else
                to[i] = blank && static_cast<long long>(v) == *blank ? kNoData : static_cast<float>(zero + scale * static_cast<double>(v));
        } else {
            to[i] = static_cast<float>(zero + scale * static_cast<double>(v));
        }
    }
}

} // namespace

Result<FitsRows> FitsRows::open(const std::filesystem::path& path, int hdu, const std::filesystem::path& named) {
    FitsRows out;
    out.m_path = path;
    out.m_named = named.empty() ? path : named;
    auto opened = openFits(path, out.m_named);
    if (!opened) return opened.error();
    fitsfile* fits = opened->get();
    int status = 0, type = 0;
    LONGLONG header = 0, data = 0, end = 0;
    fits_movabs_hdu(fits, hdu, &type, &status);
    fits_get_img_type(fits, &out.m_bitpix, &status);
    fits_get_hduaddrll(fits, &header, &data, &end, &status);
    if (status != 0) return Error{phrase("{} cannot be read as FITS ({}); copy it again.", shown(out.m_named), fitsReason(status))};
    out.m_start = data;
    const auto key = [&](const char* name, double& to) {
        int missing = 0;
        fits_read_key_dbl(fits, name, &to, nullptr, &missing);
    };
    key("BZERO", out.m_zero);
    key("BSCALE", out.m_scale);
    LONGLONG blank = 0;
    int missing = 0;
    if (out.m_bitpix > 0 && fits_read_key_lnglng(fits, "BLANK", &blank, nullptr, &missing) == 0) out.m_blank = blank;
    fits_clear_errmsg();
    return out;
}

OpenFile FitsRows::file() const {
    return OpenFile(::open(m_path.c_str(), O_RDONLY | O_CLOEXEC));
}

std::optional<FileView> FitsRows::view(const OpenFile& file, long long first, long long count) const {
    constexpr auto kSize = static_cast<long long>(sizeof(float));
    if (m_bitpix != -32 || m_scale != 1 || m_zero != 0 || m_start % kSize != 0) return std::nullopt;
    return FileView::of(file, m_start + first * kSize, static_cast<std::size_t>(count * kSize));
}

Error FitsRows::cannotBeRead() const {
    return Error{phrase("The pixels of {} cannot be read; the file is gone, damaged or cut short, copy it again.", shown(m_named))};
}

Status FitsRows::read(long long first, long long count, float* to) const {
    return read(file(), first, count, to);
}

Status FitsRows::read(const OpenFile& file, long long first, long long count, float* to) const {
    // In pieces that stay in the cache between reading and turning round, and where they are wanted if they are as large as what they become.
    constexpr long long kPiece = 1 << 14;
    const auto size = static_cast<std::size_t>(std::abs(m_bitpix) / 8);
    const bool asIs = m_scale == 1 && !m_blank && m_zero == static_cast<double>(static_cast<float>(m_zero));
    thread_local std::vector<std::uint64_t> room;
    const bool inPlace = size == sizeof(float);
    if (!inPlace) room.resize(static_cast<std::size_t>(kPiece) * size / sizeof(std::uint64_t) + 1);
    for (long long done = 0; done < count; done += kPiece, to += kPiece) {
        const auto pixels = static_cast<std::size_t>(std::min(kPiece, count - done));
        char* const raw = inPlace ? reinterpret_cast<char*>(to) : reinterpret_cast<char*>(room.data());
        if (!file.read(raw, pixels * size, m_start + (first + done) * static_cast<long long>(size))) return cannotBeRead();
        switch (m_bitpix) {
        case 8:
            convert<std::uint8_t, std::uint8_t>(raw, pixels, m_zero, m_scale, m_blank, to);
            break;
        case 16:
            if (asIs)
                rows::fromWords(reinterpret_cast<const std::uint16_t*>(raw), static_cast<int>(pixels), static_cast<float>(m_zero), to);
            else
                convert<std::uint16_t, std::int16_t>(raw, pixels, m_zero, m_scale, m_blank, to);
            break;
        case 32:
            convert<std::uint32_t, std::int32_t>(raw, pixels, m_zero, m_scale, m_blank, to);
            break;
        case 64:
            convert<std::uint64_t, std::int64_t>(raw, pixels, m_zero, m_scale, m_blank, to);
            break;
        case -32:
            if (asIs && m_zero == 0)
                rows::fromFloats(reinterpret_cast<const std::uint32_t*>(raw), static_cast<int>(pixels), to);
            else
                convert<std::uint32_t, float>(raw, pixels, m_zero, m_scale, {}, to);
            break;
        default:
            convert<std::uint64_t, double>(raw, pixels, m_zero, m_scale, {}, to);
            break;
        }
    }
    return Done{};
}

} // namespace caelumen
