#pragma once

#include <cstdint>
#include <cstring>

namespace caelumen {

/// Flags along a row, one bit each, from the lowest bit of a byte on. Seven bytes after the last one may be read.
struct Flags {
    const std::uint8_t* bytes = nullptr; ///< null: none is set
    std::int64_t first = 0;              ///< the bit of the first one

    explicit operator bool() const { return bytes != nullptr; }
    bool operator[](int i) const {
        const std::int64_t at = first + i;
        return bytes && (bytes[at >> 3] >> (at & 7) & 1) != 0;
    }
    /// From another one on.
    Flags operator+(std::int64_t n) const { return {bytes, first + n}; }
    /// `n` of them from `i` on, at most kTogether.
    static constexpr int kTogether = 57;
    std::uint64_t bits(int i, int n) const {
        if (!bytes) return 0;
        const std::int64_t at = first + i;
        std::uint64_t all;
        std::memcpy(&all, bytes + (at >> 3), sizeof all);
        return all >> (at & 7) & ((std::uint64_t{1} << n) - 1);
    }
};

} // namespace caelumen
