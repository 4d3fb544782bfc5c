#include "core/base/number_rows.h"

#include "core/base/wide.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <limits>

namespace caelumen::rows {
namespace {

using Doubles = double __attribute__((vector_size(32)));
using Words = std::uint64_t __attribute__((vector_size(32)));
constexpr int kWide = 4;
constexpr double kLn2High = 0x1.62e42fee00000p-1, kLn2Low = 0x1.a39ef35793c76p-33; // ln 2 in two pieces, the first with room for a factor

__attribute__((always_inline)) inline Doubles logarithm(const Doubles& v) {
    constexpr std::uint64_t kMantissa = 0x000fffffffffffff, kOne = 0x3ff0000000000000, kRootHalf = 0x3fe6a09e667f3bcd;
    constexpr double kShift = 0x1p52;
    // v = 2^e m with m between the roots of 1/2 and 2.
    const auto bits = reinterpret_cast<Words>(v);
    const Words lifted = bits + (kOne - kRootHalf), biased = lifted >> 52;
    const auto m = reinterpret_cast<Doubles>((lifted & kMantissa) + kRootHalf);
    const Doubles e = reinterpret_cast<Doubles>(biased | 0x4330000000000000) - (kShift + 1023);
    const Doubles s = (m - 1) / (m + 1), z = s * s; // ln m = 2 artanh s, |s| < 0.172
    Doubles sum = Doubles{} + 1.0 / 21;
    for (int k = 19; k >= 3; k -= 2) sum = sum * z + 1.0 / k;
    return e * kLn2High + (2 * s + (2 * s * z * sum + e * kLn2Low));
}

__attribute__((always_inline)) inline Doubles exponential(const Doubles& any) {
    constexpr double kLeast = -708, kMost = 709;                                                               // what a double can hold at full precision
    const Doubles high = any > kMost ? Doubles{} + kMost : any, v = high < kLeast ? Doubles{} + kLeast : high; // no number stays none
    constexpr double kShift = 0x1.8p52; // added, it rounds to a whole number in the lowest bits
    const Doubles shifted = v * 1.4426950408889634 + kShift, n = shifted - kShift;
    const Doubles r = (v - n * kLn2High) - n * kLn2Low; // |r| < 0.35
    constexpr double kFactors[] = {1.0 / 6227020800, 1.0 / 479001600, 1.0 / 39916800, 1.0 / 3628800, 1.0 / 362880, 1.0 / 40320,
                                   1.0 / 5040,       1.0 / 720,       1.0 / 120,      1.0 / 24,      1.0 / 6,      0.5};
    Doubles sum = Doubles{} + kFactors[0];
    for (int k = 1; k < 12; ++k) sum = sum * r + kFactors[k];
    const Doubles value = 1 + (r + r * r * sum);
    return reinterpret_cast<Doubles>(reinterpret_cast<Words>(value) + (reinterpret_cast<Words>(shifted) << 52));
}

/// Row by row through a function of four; what is left over at the end goes through it as well, so that a value does not depend on where it stands.
template<class Function>
__attribute__((always_inline)) inline void each(const double* v, int n, double* out, const Function& of) {
    for (int i = 0; i < n; i += kWide) {
        Doubles x = Doubles{} + 1;
        const std::size_t bytes = sizeof(double) * static_cast<std::size_t>(std::min(kWide, n - i));
        if (i + kWide <= n) {
            std::memcpy(&x, v + i, sizeof x);
            const Doubles y = of(x);
            std::memcpy(out + i, &y, sizeof y);
        } else {
            std::memcpy(&x, v + i, bytes);
            const Doubles y = of(x);
            std::memcpy(out + i, &y, bytes);
        }
    }
}

} // namespace

CAELUMEN_FAST void logarithms(const double* v, int n, double* out) {
    each(
        v, n, out, [](const Doubles& x) __attribute__((always_inline)) { return logarithm(x); });
}

CAELUMEN_FAST void exponentials(const double* v, int n, double* out) {
    each(
        v, n, out, [](const Doubles& x) __attribute__((always_inline)) { return exponential(x); });
}

CAELUMEN_FAST double dot(const double* a, const double* b, int n) {
    Doubles sums[2]{};
    int i = 0;
    for (; i + 2 * kWide <= n; i += 2 * kWide)
        for (int k = 0; k < 2; ++k) {
            Doubles x, y;
            std::memcpy(&x, a + i + k * kWide, sizeof x);
            std::memcpy(&y, b + i + k * kWide, sizeof y);
            sums[k] += x * y;
        }
    const Doubles sum = sums[0] + sums[1];
    double out = (sum[0] + sum[1]) + (sum[2] + sum[3]);
    for (; i < n; ++i) out += a[i] * b[i];
    return out;
}

CAELUMEN_FAST void sortFew(float* v, int n) {
    constexpr int kAtOnce = 64; // whose counts stay in registers
    constexpr int kRoom = (kFew + kAtOnce - 1) / kAtOnce * kAtOnce;
    std::array<float, kRoom> from;
    std::array<std::int32_t, kRoom> smaller;
    std::array<float, kFew> to;
    for (int i = 0; i < kRoom; ++i) from[static_cast<std::size_t>(i)] = i < n ? v[i] : std::numeric_limits<float>::infinity();
    std::int64_t sum = 0;
    for (int first = 0; first < n; first += kAtOnce) {
        const float* const here = from.data() + first;
        std::array<std::int32_t, kAtOnce> counts{};
        for (int j = 0; j < n; ++j)
            for (int i = 0; i < kAtOnce; ++i) counts[static_cast<std::size_t>(i)] += v[j] < here[i] ? 1 : 0;
        std::memcpy(smaller.data() + first, counts.data(), sizeof counts);
    }
    for (int i = 0; i < n; ++i) sum += smaller[static_cast<std::size_t>(i)];
    const bool alike = sum != static_cast<std::int64_t>(n) * (n - 1) / 2; // equal numbers share a place, and leave the next ones free
    if (alike) std::fill_n(to.data(), n, std::numeric_limits<float>::quiet_NaN());
    for (int i = 0; i < n; ++i) to[static_cast<std::size_t>(smaller[static_cast<std::size_t>(i)])] = v[i];
    for (int i = 1; alike && i < n; ++i)
        if (const auto at = static_cast<std::size_t>(i); to[at] != to[at]) to[at] = to[at - 1];
    std::copy_n(to.data(), n, v);
}

} // namespace caelumen::rows
