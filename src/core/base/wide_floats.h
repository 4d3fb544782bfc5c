#pragma once

#include "core/base/wide.h"

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

} // namespace caelumen::rows
