#include "core/base/pixel_rows.h"

#include "core/base/wide_floats.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#ifdef CAELUMEN_WIDEST
#include <immintrin.h>
#endif

namespace caelumen::rows {
namespace {

constexpr int kLanes = 16; ///< pixels done side by side

template<class T>
auto sumOf(T v) {
    std::array<decltype(v[0] + v[0]), kWide> x;
    std::memcpy(x.data(), &v, sizeof v);
    return (x[0] + x[4]) + (x[1] + x[5]) + ((x[2] + x[6]) + (x[3] + x[7]));
}

} // namespace

CAELUMEN_FAST void scale(float* v, std::int64_t n, float zero, float factor) {
    for (std::int64_t i = 0; i < n; ++i) v[i] = (v[i] - zero) * factor;
}

namespace {

/// (v - zero) * factor of `n` values, and what was seen on the way; `turned`: from big-endian ones, to where nobody reads soon.
template<bool turned, class From>
__attribute__((always_inline)) inline Found scaleFrom(const From* from, std::int64_t n, float zero, float factor, float* to) {
    constexpr std::int32_t kSize = 0x7fffffff, kInfiniteBits = 0x7f800000; // of a float but for its sign
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
    Found out;
    const auto one = [&](std::int64_t i) __attribute__((always_inline)) {
        float v;
        if constexpr (turned) {
            const std::uint32_t bits = __builtin_bswap32(from[i]);
            std::memcpy(&v, &bits, sizeof v);
        } else {
            v = from[i];
        }
        out.zeros += v == 0;
        out.infinite = out.infinite || std::isinf(v);
        if (v > out.top && v < kInfinite) out.top = v;
        to[i] = (v - zero) * factor;
    };
    std::int64_t i = 0;
    for (; i < n && !isEven(to + i); ++i) one(i);
    std::array<Floats, 2> tops{Floats{} - kInfinite, Floats{} - kInfinite};
    while (i + kLanes <= n) {
        const std::int64_t end = std::min(n - (n - i) % kLanes, i + kLanes * 4096);
        std::array<Ints, 2> zeros{}, infinite{};
        for (; i < end; i += kLanes) {
            if constexpr (turned) fetchOn(from + i, kLanes);
            for (unsigned k = 0; k < 2; ++k) {
                Floats x;
                if constexpr (turned)
                    x = loadTurned(from + i + kWide * k);
                else
                    x = load(from + i + kWide * k);
                infinite[k] |= (reinterpret_cast<Ints>(x) & kSize) == kInfiniteBits;
                zeros[k] -= x == 0;
                tops[k] = (x > tops[k]) & (x < kInfinite) ? x : tops[k];
                const Floats scaled = (x - zero) * factor;
                if constexpr (turned)
                    storeFar(scaled, to + i + kWide * k);
                else
                    store(scaled, to + i + kWide * k);
            }
        }
        out.zeros += sumOf(zeros[0] + zeros[1]);
        out.infinite = out.infinite || sumOf((infinite[0] | infinite[1]) & 1) != 0;
    }
    for (; i < n; ++i) one(i);
    for (const Floats& t : tops)
        for (int k = 0; k < kWide; ++k) out.top = std::max(out.top, t[k]);
    return out;
}

} // namespace

CAELUMEN_FAST Found scaleAndLook(float* v, std::int64_t n, float zero, float factor) {
    return scaleFrom<false>(v, n, zero, factor, v);
}

namespace {

CAELUMEN_FAST Found scaleTurnedWide(const std::uint32_t* raw, std::int64_t n, float zero, float factor, float* to) {
    return scaleFrom<true>(raw, n, zero, factor, to);
}

#ifdef CAELUMEN_WIDEST
/// A whole line of the cache at a time, so that it is never written in parts.
CAELUMEN_WIDEST Found scaleTurnedWidest(const std::uint32_t* raw, std::int64_t n, float zero, float factor, float* to) {
    constexpr std::int64_t kLine = 16;
    const std::int64_t before = std::min(n, (kLine - static_cast<std::int64_t>(reinterpret_cast<std::uintptr_t>(to) / sizeof(float)) % kLine) % kLine);
    Found out = scaleTurnedWide(raw, before, zero, factor, to);
    const __m512i turn = _mm512_broadcast_i32x4(_mm_set_epi8(12, 13, 14, 15, 8, 9, 10, 11, 4, 5, 6, 7, 0, 1, 2, 3));
    const __m512 least = _mm512_set1_ps(-std::numeric_limits<float>::infinity()), most = _mm512_set1_ps(std::numeric_limits<float>::infinity());
    const __m512 down = _mm512_set1_ps(zero), by = _mm512_set1_ps(factor);
    __m512 tops = least;
    __mmask16 infinite = 0;
    std::int64_t i = before;
    for (; i + kLine <= n; i += kLine) {
        fetchOn(raw + i, kLine);
        const __m512 x = _mm512_castsi512_ps(_mm512_shuffle_epi8(_mm512_loadu_si512(raw + i), turn));
        out.zeros += __builtin_popcount(_mm512_cmp_ps_mask(x, _mm512_setzero_ps(), _CMP_EQ_OQ));
        infinite = static_cast<__mmask16>(infinite | _mm512_cmp_ps_mask(_mm512_abs_ps(x), most, _CMP_EQ_OQ));
        tops = _mm512_mask_max_ps(tops, _mm512_cmp_ps_mask(x, most, _CMP_LT_OQ), x, tops);
        _mm512_stream_ps(to + i, _mm512_mul_ps(_mm512_sub_ps(x, down), by));
    }
    const Found after = scaleTurnedWide(raw + i, n - i, zero, factor, to + i);
    out.zeros += after.zeros;
    out.infinite = out.infinite || after.infinite || infinite != 0;
    out.top = std::max({out.top, after.top, _mm512_reduce_max_ps(tops)});
    return out;
}
#endif

} // namespace

Found scaleTurned(const std::uint32_t* raw, std::int64_t n, float zero, float factor, float* to) {
#ifdef CAELUMEN_WIDEST
    const Found out = takesWidest() ? scaleTurnedWidest(raw, n, zero, factor, to) : scaleTurnedWide(raw, n, zero, factor, to);
#else
    const Found out = scaleTurnedWide(raw, n, zero, factor, to);
#endif
    storedFar();
    return out;
}

CAELUMEN_FAST float top(const float* v, std::int64_t n) {
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
    std::array<Floats, 2> most{Floats{} - kInfinite, Floats{} - kInfinite};
    std::int64_t from = 0;
    for (; from + kLanes <= n; from += kLanes)
        for (unsigned k = 0; k < 2; ++k) {
            const Floats x = load(v + from + kWide * k);
            most[k] = (x > most[k]) & (x < kInfinite) ? x : most[k];
        }
    float out = -kInfinite;
    for (; from < n; ++from)
        if (v[from] > out && v[from] < kInfinite) out = v[from];
    for (const Floats& t : most)
        for (int j = 0; j < kWide; ++j) out = std::max(out, t[j]);
    return out;
}

CAELUMEN_FAST Counts countAbove(const float* v, std::int64_t n, float low, float high) {
    constexpr std::int64_t kBlock = 4096;
    Counts out;
    for (std::int64_t from = 0; from < n; from += kBlock) {
        const int m = static_cast<int>(std::min(kBlock, n - from));
        const float* p = v + from;
        int a = 0, b = 0;
        for (int i = 0; i < m; ++i) {
            a += p[i] >= low ? 1 : 0;
            b += p[i] >= high ? 1 : 0;
        }
        out.low += a;
        out.high += b;
    }
    return out;
}

CAELUMEN_FAST Residuals residuals(const float* v, const Ramp& ramp, const Flags& flags, int n, float limit, float* sums, float* counts) {
    const float start = ramp.start, step = ramp.step;
    const Flags hidden = flags;
    Floats total{};
    Ints taken{};
    constexpr Ints kSteps{0, 1, 2, 3, 4, 5, 6, 7};
    int i = 0;
    for (; i + kWide <= n; i += kWide) {
        const Floats d = load(v + i) - (start + step * __builtin_convertvector(kSteps + i, Floats));
        Ints in = (d > -limit) & (d < limit); // all bits where true
        if (hidden) in &= seen(hidden, i);
        const auto left = reinterpret_cast<Floats>(reinterpret_cast<Ints>(d) & in);
        total += left;
        taken -= in;
        if (sums) {
            store(load(sums + i) + left, sums + i);
            store(load(counts + i) + reinterpret_cast<Floats>(reinterpret_cast<Ints>(Floats{} + 1) & in), counts + i);
        }
    }
    Residuals out{sumOf(total), static_cast<int>(sumOf(taken))};
    for (; i < n; ++i) {
        const float d = v[i] - (start + step * static_cast<float>(i));
        if (!(d > -limit && d < limit) || hidden[i]) continue;
        out.sum += d;
        ++out.count;
        if (sums) sums[i] += d, counts[i] += 1;
    }
    return out;
}

CAELUMEN_FAST void add(const float* from, int n, float* to) {
    for (int i = 0; i < n; ++i) to[i] += from[i];
}

CAELUMEN_FAST std::int64_t countBits(const std::uint64_t* words, std::int64_t n) {
    std::int64_t sum = 0;
    for (std::int64_t i = 0; i < n; ++i) sum += __builtin_popcountll(words[i]);
    return sum;
}

CAELUMEN_FAST Sums sums(const float* v, const Flags& flags, int n, float low, float high, float pivot) {
    const Flags hidden = flags;
    constexpr int kBlock = 64 * kLanes; // within which single precision is ample
    Sums out;
    int from = 0;
    while (from + kWide <= n) {
        const int end = std::min(n - n % kWide, from + kBlock);
        fetchOn(v + from, end - from);
        std::array<Floats, 2> sum{}, squares{};
        std::array<Ints, 2> count{};
        const auto take = [&](unsigned k) __attribute__((always_inline)) {
            Floats x;
            std::memcpy(&x, v + from, sizeof x);
            Ints in = (x >= low) & (x < high); // all bits where true
            if (hidden) in &= seen(hidden, from);
            const auto d = reinterpret_cast<Floats>(reinterpret_cast<Ints>(x - pivot) & in);
            sum[k] += d;
            squares[k] += d * d;
            count[k] -= in;
            from += kWide;
        };
        while (from + kLanes <= end) {
            take(0);
            take(1);
        }
        if (from < end) take(0);
        out.count += sumOf(count[0] + count[1]);
        out.sum += static_cast<double>(sumOf(sum[0] + sum[1]));
        out.squares += static_cast<double>(sumOf(squares[0] + squares[1]));
    }
    for (; from < n; ++from) {
        if (!(v[from] >= low && v[from] < high) || hidden[from]) continue;
        const double d = static_cast<double>(v[from] - pivot);
        ++out.count;
        out.sum += d;
        out.squares += d * d;
    }
    return out;
}

CAELUMEN_FAST RectangleSums rectangleSums(const float* v, std::int64_t stride, const Flags& hidden, std::int64_t flagStride, int down, int n, float low,
                                          float high, float pivot) {
    constexpr int kMost = 128;                                                               // registers within which single precision is ample
    const int registers = n / kWide, together = std::max(1, kMost / std::max(1, registers)); // rows at a time
    RectangleSums out;
    for (int top = 0; top < down; top += together) {
        const int bottom = std::min(down, top + together);
        Floats sum{}, squares{};
        Ints count{}, rows{};
        for (int y = top; y < bottom; ++y) {
            const float* from = v + y * stride;
            const Flags flags = hidden + y * flagStride;
            fetchRow(from, n, 2 * n); // of the rectangle after this one
            Ints here{};
            const auto take = [&](int i, const Ints& left) __attribute__((always_inline)) {
                const Floats x = load(from + i);
                const Ints in = (x >= low) & (x < high) & left;
                const auto d = reinterpret_cast<Floats>(reinterpret_cast<Ints>(x - pivot) & in);
                sum += d;
                squares += d * d;
                here -= in;
            };
            const int end = registers * kWide;
            int i = 0;
            for (; flags && i + kFour <= end; i += kFour) {
                const std::uint32_t four = fourOf(flags, i);
                take(i, seenOf<0>(four)), take(i + kWide, seenOf<1>(four)), take(i + 2 * kWide, seenOf<2>(four)), take(i + 3 * kWide, seenOf<3>(four));
            }
            for (; i < end; i += kWide) take(i, flags ? seen(flags, i) : Ints{} - 1);
            count += here;
            rows += here * y;
            for (; i < n; ++i) {
                if (!(from[i] >= low && from[i] < high) || flags[i]) continue;
                const double d = static_cast<double>(from[i] - pivot);
                ++out.count;
                out.rows += y;
                out.sum += d;
                out.squares += d * d;
            }
        }
        out.count += sumOf(count);
        out.rows += sumOf(rows);
        out.sum += static_cast<double>(sumOf(sum));
        out.squares += static_cast<double>(sumOf(squares));
    }
    return out;
}

CAELUMEN_FAST double squareSum(const float* v, std::int64_t stride, int side) {
    using Four = float __attribute__((vector_size(16)));
    using Doubles = double __attribute__((vector_size(32)));
    Doubles sums{}; // side by side: one after the other would wait for each other
    double rest = 0;
    for (int y = 0; y < side; ++y) {
        const float* const row = v + y * stride;
        int x = 0;
        for (; x + 4 <= side; x += 4) {
            Four four;
            std::memcpy(&four, row + x, sizeof four);
            sums += __builtin_convertvector(four, Doubles);
        }
        for (; x < side; ++x) rest += static_cast<double>(row[x]);
    }
    return (sums[0] + sums[1]) + (sums[2] + sums[3]) + rest;
}

CAELUMEN_FAST void addTo(const float* v, const Flags& flags, const std::uint32_t* at, int n, Counted* list, Counted* other) {
    using Pair = double __attribute__((vector_size(16)));
    const Flags hidden = flags;
    const auto add = [&](int i, std::uint64_t isHidden, Counted* to) __attribute__((always_inline)) {
        const float x = v[i];
        const bool counts = __builtin_fabsf(x) < std::numeric_limits<float>::infinity() && !isHidden;
        Pair sum;
        std::memcpy(&sum, to + at[i], sizeof sum);
        sum += counts ? Pair{static_cast<double>(x), 1} : Pair{}; // no guessing at each
        std::memcpy(static_cast<void*>(to + at[i]), &sum, sizeof sum);
    };
    constexpr int kTogether = Flags::kTogether / 2 * 2;
    for (int from = 0; from < n; from += kTogether) {
        const int end = std::min(n, from + kTogether);
        std::uint64_t bits = hidden.bits(from, end - from);
        int i = from;
        for (; i + 1 < end; i += 2, bits >>= 2) add(i, bits & 1, list), add(i + 1, bits & 2, other);
        if (i < end) add(i, bits & 1, list);
    }
}

CAELUMEN_FAST void wholeDistances(double from, double across, int n, std::uint32_t* out) {
    for (int i = 0; i < n; ++i) {
        const double along = from + i;
        out[i] = static_cast<std::uint32_t>(static_cast<std::int32_t>(__builtin_sqrt(along * along + across * across)));
    }
}

CAELUMEN_FAST void asinhCodes(const float* v, int n, const AsinhScale& how, std::uint16_t* to) {
    const AsinhScale h = how;
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const float x = v[i] * h.scale + h.shift;
        std::uint32_t sign, bits;
        std::memcpy(&sign, &x, sizeof sign);
        const bool finite = (sign & 0x7f800000U) != 0x7f800000U;
        const float size = finite ? __builtin_fabsf(x) : 0.0F, far = size < 1e15F ? size : 1e15F; // squares stay finite
        const float u = far + __builtin_sqrtf(far * far + 1);                                     // at least 1
        std::memcpy(&bits, &u, sizeof bits);
        // ln u = e ln 2 + ln m with m from 2/3 to 4/3; ln m = 2 atanh((m - 1) / (m + 1)).
        const auto e = static_cast<std::int32_t>(bits - 0x3f2aaaabU) >> 23;
        const std::uint32_t mantissa = bits - (static_cast<std::uint32_t>(e) << 23);
        float m;
        std::memcpy(&m, &mantissa, sizeof m);
        const float t = (m - 1) / (m + 1), t2 = t * t;
        const float log = static_cast<float>(e) * 0.693147181F + 2 * t * (1 + t2 * (1.0F / 3 + t2 * (0.2F + t2 * (1.0F / 7 + t2 * (1.0F / 9)))));
        const float signedLog = sign & 0x80000000U ? -log : log;
        float code = h.zero + h.steps * signedLog;
        code = code < 1 ? 1 : code > 65535 ? 65535 : code;
        to[i] = finite ? static_cast<std::uint16_t>(static_cast<std::int32_t>(code)) : static_cast<std::uint16_t>(0);
    }
}

CAELUMEN_FAST void halveCodes(const std::uint16_t* a, const std::uint16_t* b, int n, std::uint16_t* to) {
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) to[i] = static_cast<std::uint16_t>((static_cast<std::uint32_t>(a[2 * i]) + a[2 * i + 1] + b[2 * i] + b[2 * i + 1] + 2) / 4);
}

CAELUMEN_FAST void fromWords(const std::uint16_t* raw, int n, float offset, float* to) {
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const auto v = static_cast<std::uint16_t>((raw[i] << 8) | (raw[i] >> 8));
        to[i] = static_cast<float>(static_cast<std::int16_t>(v)) + offset;
    }
}

CAELUMEN_FAST void fromFloats(const std::uint32_t* raw, int n, float* to) {
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const std::uint32_t bits = __builtin_bswap32(raw[i]);
        std::memcpy(to + i, &bits, sizeof bits);
    }
}

} // namespace caelumen::rows
