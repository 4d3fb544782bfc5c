#pragma once

#include "core/base/flags.h"
#include "core/base/ramp.h"

#include <cstdint>
#include <limits>

/// Loops over rows of pixels: the few places where every pixel of a frame is touched. Compiled for several instruction sets; the fastest that the
/// machine has is chosen when the program starts. None of them allocates.
namespace caelumen::rows {

/// In place: (v - zero) * factor.
void scale(float* v, std::int64_t n, float zero, float factor);

struct Found {
    std::int64_t zeros = 0;                              ///< exact zeros, before scaling
    bool infinite = false;                               ///< some are infinite
    float top = -std::numeric_limits<float>::infinity(); ///< the largest finite one before scaling
};
/// In place, what `scale` does, and what was seen on the way. NaN stays.
Found scaleAndLook(float* v, std::int64_t n, float zero, float factor);
/// The same of 32-bit big-endian floats, which it leaves as they are; `to` goes past the cache, for whoever reads it much later.
Found scaleTurned(const std::uint32_t* raw, std::int64_t n, float zero, float factor, float* to);

/// The largest finite value; -inf without any.
float top(const float* v, std::int64_t n);

/// How many values reach `low`, and how many of these `high`.
struct Counts {
    std::int64_t low = 0, high = 0;
};
Counts countAbove(const float* v, std::int64_t n, float low, float high);

/// What values stand above a ramp, where that lies within +-limit and nothing hides the pixel: their sum and number, which are added to
/// `sums` and `counts` pixel by pixel as well, if these are not null.
struct Residuals {
    float sum = 0;
    int count = 0;
};
Residuals residuals(const float* v, const Ramp& ramp, const Flags& hidden, int n, float limit, float* sums, float* counts);

/// to[i] += from[i].
void add(const float* from, int n, float* to);

/// How many bits are set.
std::int64_t countBits(const std::uint64_t* words, std::int64_t n);

/// Values in [low, high) that are not NaN and not hidden: their number, the sum of their offsets from `pivot`, and of the squares of
/// these.
struct Sums {
    std::int64_t count = 0;
    double sum = 0, squares = 0;
};
Sums sums(const float* v, const Flags& hidden, int n, float low, float high, float pivot);

/// The same of a rectangle: `down` rows of `n` values, each `stride` after the one before (flags: `flagStride`); and the sum of the numbers of the rows that
/// the values lie in.
struct RectangleSums : Sums {
    std::int64_t rows = 0;
};
RectangleSums rectangleSums(const float* v, std::int64_t stride, const Flags& hidden, std::int64_t flagStride, int down, int n, float low, float high,
                            float pivot);

/// The sum of a square of `side` rows, each `stride` after the one before.
double squareSum(const float* v, std::int64_t stride, int side);

/// A sum of values and their number.
struct Counted {
    double value = 0, count = 0;
};
/// Adds each value that is finite and not hidden to the sum that `at` tells. Neighbours often have the same one: they go to two lists in turn, so that nobody
/// waits for the sum before.
void addTo(const float* v, const Flags& hidden, const std::uint32_t* at, int n, Counted* list, Counted* other);

/// How far places of a row lie from a point, whole pixels: out[i] is the root of (from + i)^2 + across^2, cut off.
void wholeDistances(double from, double across, int n, std::uint32_t* out);

/// Codes on an asinh scale: zero + steps * asinh(v * scale + shift), rounded, 1 to 65535; 0 where v is not finite. Within one code of the exact one.
struct AsinhScale {
    float scale = 1, shift = 0, zero = 0, steps = 1;
};
void asinhCodes(const float* v, int n, const AsinhScale& how, std::uint16_t* to);

/// Means of two by two codes, rounded: of the rows a and b of `2 * n` codes.
void halveCodes(const std::uint16_t* a, const std::uint16_t* b, int n, std::uint16_t* to);

/// 16-bit big-endian words, signed, plus an offset.
void fromWords(const std::uint16_t* raw, int n, float offset, float* to);

/// 32-bit big-endian floats. In place is allowed.
void fromFloats(const std::uint32_t* raw, int n, float* to);

} // namespace caelumen::rows
