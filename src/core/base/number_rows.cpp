#include "core/base/number_rows.h"

#include "core/base/wide.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>

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

CAELUMEN_FAST void mediansOfNine(const double* above, const double* here, const double* below, int n, double* out) {
    const auto smaller = [](const Doubles& a, const Doubles& b) __attribute__((always_inline)) {
        return a < b ? a : b;
    };
    const auto larger = [](const Doubles& a, const Doubles& b) __attribute__((always_inline)) {
        return a > b ? a : b;
    };
    const auto middle = [&](const Doubles& a, const Doubles& b, const Doubles& c) __attribute__((always_inline)) {
        return larger(smaller(a, b), smaller(larger(a, b), c));
    };
    // The largest of what is smallest in each column, the middle of the middles, the smallest of the largest: their middle is that of all.
    for (int i = 1; i < n - 1; i += kWide) {
        Doubles least[3], middles[3], most[3];
        const int count = std::min(kWide, n - 1 - i);
        for (int k = 0; k < 3; ++k) {
            Doubles a{}, b{}, c{};
            const std::size_t bytes = sizeof(double) * static_cast<std::size_t>(count);
            if (count == kWide) {
                std::memcpy(&a, above + i + k - 1, sizeof a), std::memcpy(&b, here + i + k - 1, sizeof b), std::memcpy(&c, below + i + k - 1, sizeof c);
            } else {
                std::memcpy(&a, above + i + k - 1, bytes), std::memcpy(&b, here + i + k - 1, bytes), std::memcpy(&c, below + i + k - 1, bytes);
            }
            least[k] = smaller(smaller(a, b), c), middles[k] = middle(a, b, c), most[k] = larger(larger(a, b), c);
        }
        const Doubles all =
            middle(larger(larger(least[0], least[1]), least[2]), middle(middles[0], middles[1], middles[2]), smaller(smaller(most[0], most[1]), most[2]));
        std::memcpy(out + i, &all, sizeof(double) * static_cast<std::size_t>(count));
    }
}

CAELUMEN_FAST void addFading(const Fading& of, const Lattice& where, double x, double y, float* to) {
    std::array<double, Lattice::kMostAcross> squares;
    std::array<std::int32_t, Lattice::kMostAcross> at;
    std::array<float, Lattice::kMostAcross> values;
    const double least = of.from * of.from, most = of.to * of.to, perUnit = of.perUnit;
    const int n = where.across;
    if (n < 1) return;
    const int together = Lattice::kMostAcross / n;
    for (int top = 0; top < where.down; top += together) { // loops over several rows are worth their beginnings
        const int end = std::min(where.down, top + together), count = (end - top) * n;
        for (int j = top; j < end; ++j) {
            const double down = where.y + where.step * j - y, beside = down * down;
            double* const square = squares.data() + static_cast<std::ptrdiff_t>(j - top) * n;
            for (int i = 0; i < n; ++i) {
                const double along = where.x + where.step * i - x;
                square[i] = along * along + beside;
            }
        }
        for (unsigned k = 0; k < static_cast<unsigned>(count); ++k)
            at[k] = static_cast<std::int32_t>(std::sqrt(squares[k] < most ? squares[k] : most) * perUnit + 0.5);
        for (unsigned k = 0; k < static_cast<unsigned>(count); ++k) {
            const float light = of.flux * of.light[at[k]];
            values[k] = (squares[k] > least) & (squares[k] <= most) ? light : 0.0F;
        }
        for (int j = top; j < end; ++j) {
            const float* const value = values.data() + static_cast<std::ptrdiff_t>(j - top) * n;
            float* const row = to + j * where.stride;
            for (int i = 0; i < n; ++i) row[i] += value[i];
        }
    }
}

} // namespace caelumen::rows
