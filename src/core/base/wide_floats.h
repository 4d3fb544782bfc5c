#pragma once

#include "core/base/fetch_ahead.h"
#include "core/base/wide.h"

#include <array>
#include <cstdint>
#include <cstring>

/// Registers of pixels, for the few loops that are written with them. They stay within a file: how wide vectors are handed over differs between compilers.
namespace caelumen::rows {

/// One wide register, or two of those that every machine has.
using Floats = float __attribute__((vector_size(32)));
using Ints = std::int32_t __attribute__((vector_size(32)));
inline constexpr int kWide = 8;

__attribute__((always_inline)) inline Floats load(const float* from) {
    Floats v;
    std::memcpy(&v, from, sizeof v);
    return v;
}
__attribute__((always_inline)) inline void store(const Floats& v, float* to) {
    std::memcpy(to, &v, sizeof v);
}

/// All bits where the byte is 0, of eight bytes.
__attribute__((always_inline)) inline Ints seen(const std::uint8_t* hidden) {
    constexpr Ints kEach{0xff, 0xff00, 0xff0000, -0x1000000, 0xff, 0xff00, 0xff0000, -0x1000000};
    std::array<std::int32_t, 2> flags;
    std::memcpy(flags.data(), hidden, sizeof flags);
    const Ints spread{flags[0], flags[0], flags[0], flags[0], flags[1], flags[1], flags[1], flags[1]};
    return (spread & kEach) == 0;
}

} // namespace caelumen::rows
