#include "core/image/stored_rows.h"

#include "core/base/pixel_rows.h"
#include "core/image/fits_pixels.h"

#include <fmt/format.h>

#include <bit>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <unistd.h>
#include <vector>

namespace caelumen {
namespace fs = std::filesystem;

struct StoredRows::Descriptor {
    int number;
    explicit Descriptor(int n) : number(n) {}
    Descriptor(const Descriptor&) = delete;
    ~Descriptor() {
        if (number >= 0) ::close(number);
    }
};

namespace {

bool readAll(int file, void* to, std::size_t bytes, long long at) {
    auto* out = static_cast<char*>(to);
    while (bytes > 0) {
        const auto got = ::pread(file, out, bytes, at);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) return false;
        out += got, at += got, bytes -= static_cast<std::size_t>(got);
    }
    return true;
}

std::uint16_t swapped(std::uint16_t v) { return __builtin_bswap16(v); }
std::uint32_t swapped(std::uint32_t v) { return __builtin_bswap32(v); }
std::uint64_t swapped(std::uint64_t v) { return __builtin_bswap64(v); }
std::uint8_t swapped(std::uint8_t v) { return v; }

/// FITS is big-endian (FITS standard 4.0, section 5).
template<class Raw, class Value>
void convert(const char* from, std::size_t count, double zero, double scale, std::optional<long long> blank, float* to) {
    const bool plain = scale == 1 && !blank && zero == static_cast<double>(static_cast<float>(zero)) && sizeof(Raw) <= 2;
    const auto offset = static_cast<float>(zero);
    for (std::size_t i = 0; i < count; ++i) {
        Raw raw;
        std::memcpy(&raw, from + i * sizeof(Raw), sizeof(Raw));
        const Value v = std::bit_cast<Value>(swapped(raw));
        if constexpr (std::is_integral_v<Value>) {
            if (plain) to[i] = static_cast<float>(v) + offset;
            else to[i] = blank && static_cast<long long>(v) == *blank ? kNoData : static_cast<float>(zero + scale * static_cast<double>(v));
        } else {
            const auto value = static_cast<float>(zero + scale * static_cast<double>(v));
            to[i] = std::isfinite(value) ? value : kNoData;
        }
    }
}

} // namespace

Result<StoredRows> StoredRows::open(const FrameFile& file) {
    StoredRows out;
    out.m_path = file.info().path;
    out.m_width = file.info().width;
    out.m_height = file.info().height;
    if (const auto hdu = file.plainFitsExtension()) {
        auto opened = openFits(out.m_path);
        if (!opened) return opened.error();
        fitsfile* fits = opened->get();
        int status = 0, type = 0;
        LONGLONG header = 0, data = 0, end = 0;
        fits_movabs_hdu(fits, *hdu, &type, &status);
        fits_get_img_type(fits, &out.m_bitpix, &status);
        fits_get_hduaddrll(fits, &header, &data, &end, &status);
        if (status != 0) return Error{fmt::format("{} cannot be read as FITS ({}); copy it again.", out.m_path.string(), fitsReason(status))};
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
    // Unpacked once, into a file that is gone when nobody reads it any more.
    std::string name = (fs::temp_directory_path() / "caelumen-XXXXXX").string();
    auto descriptor = std::make_shared<Descriptor>(::mkstemp(name.data()));
    if (descriptor->number < 0) return Error{fmt::format("{} cannot be unpacked: no file can be made in {} ({}); make room there.", out.m_path.string(), fs::temp_directory_path().string(), std::strerror(errno))};
    ::unlink(name.c_str());
    const int planes = file.info().mosaic ? 1 : static_cast<int>(file.info().channels.size());
    for (int p = 0; p < planes; ++p) {
        const auto plane = file.readStored(p);
        if (!plane) return plane.error();
        const char* from = reinterpret_cast<const char*>(plane->data());
        for (std::size_t left = plane->size() * sizeof(float); left > 0;) {
            const auto put = ::write(descriptor->number, from, left);
            if (put < 0 && errno == EINTR) continue;
            if (put <= 0) return Error{fmt::format("{} cannot be unpacked into {} ({}); make room there.", out.m_path.string(), fs::temp_directory_path().string(), std::strerror(errno))};
            from += put, left -= static_cast<std::size_t>(put);
        }
    }
    out.m_unpacked = std::move(descriptor);
    return out;
}

Status StoredRows::read(int plane, int y, int count, float* to) const {
    const auto pixels = static_cast<std::size_t>(count) * static_cast<std::size_t>(m_width);
    const long long first = (static_cast<long long>(plane) * m_height + y) * m_width;
    if (m_unpacked) {
        if (readAll(m_unpacked->number, to, pixels * sizeof(float), first * static_cast<long long>(sizeof(float)))) return Done{};
        return Error{fmt::format("{} could not be read again from the temporary folder; check the disk.", m_path.string())};
    }
    const Descriptor file(::open(m_path.c_str(), O_RDONLY | O_CLOEXEC));
    const auto size = static_cast<std::size_t>(std::abs(m_bitpix) / 8);
    thread_local std::vector<char> raw;
    raw.resize(pixels * size);
    if (file.number < 0 || !readAll(file.number, raw.data(), raw.size(), m_start + first * static_cast<long long>(size)))
        return Error{fmt::format("The pixels of {} cannot be read; the file is gone, damaged or cut short, copy it again.", m_path.string())};
    switch (m_bitpix) {
    case 8: convert<std::uint8_t, std::uint8_t>(raw.data(), pixels, m_zero, m_scale, m_blank, to); break;
    case 16:
        if (m_scale == 1 && !m_blank && m_zero == static_cast<double>(static_cast<float>(m_zero))) rows::fromWords(reinterpret_cast<const std::uint16_t*>(raw.data()), static_cast<int>(pixels), static_cast<float>(m_zero), to);
        else convert<std::uint16_t, std::int16_t>(raw.data(), pixels, m_zero, m_scale, m_blank, to);
        break;
    case 32: convert<std::uint32_t, std::int32_t>(raw.data(), pixels, m_zero, m_scale, m_blank, to); break;
    case 64: convert<std::uint64_t, std::int64_t>(raw.data(), pixels, m_zero, m_scale, m_blank, to); break;
    case -32: convert<std::uint32_t, float>(raw.data(), pixels, m_zero, m_scale, {}, to); break;
    default: convert<std::uint64_t, double>(raw.data(), pixels, m_zero, m_scale, {}, to); break;
    }
    return Done{};
}

} // namespace caelumen
