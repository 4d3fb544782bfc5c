#pragma once

#include "core/base/fetch_ahead.h"
#include "core/base/flags.h"
#include "core/base/wide.h"

#include <array>
#include <cstdint>
#include <cstring>
#ifdef __SSE__
#include <xmmintrin.h>
#endif

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

/// Big-endian ones.
__attribute__((always_inline)) inline Floats loadTurned(const std::uint32_t* from) {
    using Bytes = std::uint8_t __attribute__((vector_size(32)));
    Bytes b;
    std::memcpy(&b, from, sizeof b);
    return reinterpret_cast<Floats>(
        __builtin_shufflevector(b, b, 3, 2, 1, 0, 7, 6, 5, 4, 11, 10, 9, 8, 15, 14, 13, 12, 19, 18, 17, 16, 23, 22, 21, 20, 27, 26, 25, 24, 31, 30, 29, 28));
}

/// Whether a register can be stored there by storeFar.
inline bool isEven(const float* at) {
    return reinterpret_cast<std::uintptr_t>(at) % sizeof(Floats) == 0;
}

/// A store that does not read what was there and keeps nothing of it near, where the machine has such; storedFar() before another thread reads it.
__attribute__((always_inline)) inline void storeFar(const Floats& v, float* to) {
#ifdef __SSE__
    __m128 low, high;
    std::memcpy(&low, &v, sizeof low);
    std::memcpy(&high, reinterpret_cast<const char*>(&v) + sizeof low, sizeof high);
    _mm_stream_ps(to, low);
    _mm_stream_ps(to + kWide / 2, high);
#else
    store(v, to);
#endif
}
__attribute__((always_inline)) inline void storedFar() {
#ifdef __SSE__
    _mm_sfence();
#endif
}

/// All bits where the flag is not set, of eight from the i-th on.
__attribute__((always_inline)) inline Ints seen(const Flags& hidden, int i) {
    constexpr Ints kEach{1, 2, 4, 8, 16, 32, 64, 128};
    const std::int64_t at = hidden.first + i;
    std::uint16_t two;
    std::memcpy(&two, hidden.bytes + (at >> 3), sizeof two);
    return ((Ints{} + (two >> (at & 7))) & kEach) == 0;
}

/// The flags of four registers from the i-th on, and what seen() gives of the k-th of these.
inline constexpr int kFour = 4 * kWide;
__attribute__((always_inline)) inline std::uint32_t fourOf(const Flags& hidden, int i) {
    const std::int64_t at = hidden.first + i;
    std::uint64_t bits;
    std::memcpy(&bits, hidden.bytes + (at >> 3), sizeof bits);
    return static_cast<std::uint32_t>(bits >> (at & 7));
}
template<int k>
__attribute__((always_inline)) inline Ints seenOf(std::uint32_t four) {
    constexpr std::uint32_t kFirst = 1U << (k * kWide);
    using Words = std::uint32_t __attribute__((vector_size(32)));
    constexpr Words kEach{kFirst, kFirst << 1, kFirst << 2, kFirst << 3, kFirst << 4, kFirst << 5, kFirst << 6, kFirst << 7};
    return reinterpret_cast<Ints>(((Words{} + four) & kEach) == 0);
}

} // namespace caelumen::rows
