#include "core/base/pixel_rows.h"

#include "core/base/wide_floats.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>

namespace caelumen::rows {
namespace {

constexpr int kLanes = 16; ///< pixels done side by side

__attribute__((always_inline)) inline bool isAny(const Ints& v) {
    std::array<std::int64_t, 4> x;
    std::memcpy(x.data(), &v, sizeof v);
    return ((x[0] | x[1]) | (x[2] | x[3])) != 0;
}

template<class T>
auto sumOf(T v) {
    std::array<decltype(v[0] + v[0]), kWide> x;
    std::memcpy(x.data(), &v, sizeof v);
    return (x[0] + x[4]) + (x[1] + x[5]) + ((x[2] + x[6]) + (x[3] + x[7]));
}

} // namespace

float smoothed(const float* a, const float* b, const float* c, int width, int x) {
    const auto column = [&](int at) { return (a[at] + 2 * b[at] + c[at]) * (1.0F / 16); };
    if (width == 1) return 4 * column(0);
    if (x == 0) return 3 * column(0) + column(1);
    if (x == width - 1) return column(x - 1) + 3 * column(x);
    return column(x - 1) + 2 * column(x) + column(x + 1);
}

CAELUMEN_FAST int smoothReaching(const float* a, const float* b, const float* c, int width, int from, int n, const Ramp& limit, int* out) {
    const Ramp ramp = limit;
    const int end = from + n, inner = std::min(end, width - 1);
    int found = 0, x = from;
    const auto look = [&](int at) {
        out[found] = at;
        found += smoothed(a, b, c, width, at) >= ramp.at(at - from);
    };
    fetchOn(c + from, n); // the rows above were there before
    if (x == 0) look(x++);
    while (inner - std::max(1, from) >= kLook && x < inner) {
        const int first = std::min(x, inner - kLook);                                           // the last ones are looked at with some of those before
        const float least = std::min(ramp.at(first - from), ramp.at(first + kLook - 1 - from)); // a ramp is never lower than at one of its ends
        std::array<float, kLook> mean;
        std::array<Ints, kLook / kWide> reaches;
        Ints any{};
        const auto column = [&](int i) __attribute__((always_inline)) {
            return (load(a + first + i) + 2 * load(b + first + i) + load(c + first + i)) * (1.0F / 16);
        };
        std::array<Floats, kLook / kWide> columns;
        for (unsigned k = 0; k < columns.size(); ++k) columns[k] = column(static_cast<int>(k) * kWide);
        for (int i = 0; i < kLook; i += kWide) {
            const unsigned k = static_cast<unsigned>(i / kWide);
            const Floats here = columns[k], before = i == 0 ? column(-1) : __builtin_shufflevector(columns[k - 1], here, 7, 8, 9, 10, 11, 12, 13, 14),
                         after = i + kWide == kLook ? column(kLook - kWide + 1) : __builtin_shufflevector(here, columns[k + 1], 1, 2, 3, 4, 5, 6, 7, 8);
            const Floats m = before + 2 * here + after;
            store(m, mean.data() + i);
            reaches[static_cast<unsigned>(i / kWide)] = m >= least;
            any |= m >= least;
        }
        for (int k = 0; isAny(any) && k < kLook; k += kWide) {
            if (!isAny(reaches[static_cast<unsigned>(k / kWide)])) continue;
            for (int i = std::max(k, x - first); i < k + kWide; ++i) { // such places lie together: no guessing at each
                out[found] = first + i;
                found += mean[static_cast<unsigned>(i)] >= ramp.at(first + i - from);
            }
        }
        x = first + kLook;
    }
    for (; x < end; ++x) look(x);
    return found;
}

CAELUMEN_FAST void aboveRamp(const float* v, const Ramp& ramp, int n, float* out) {
    const float start = ramp.start, step = ramp.step;
    fetchOn(v, n);
    for (int i = 0; i < n; ++i) {
        const float d = v[i] - (start + step * static_cast<float>(i));
        out[i] = d == d ? d : 0.0F;
    }
}

CAELUMEN_FAST void blurAcross(const float* v, int n, const float* taps, int half, float* out) {
    int x = 0;
    for (; x + 4 * kWide <= n; x += 4 * kWide) { // a piece at a time, so that sums stay in registers
        const float* p = v + x;
        Floats a = taps[0] * load(p), b = taps[0] * load(p + kWide), c = taps[0] * load(p + 2 * kWide), d = taps[0] * load(p + 3 * kWide);
        for (int k = 1; k <= half; ++k) {
            a += taps[k] * (load(p - k) + load(p + k));
            b += taps[k] * (load(p + kWide - k) + load(p + kWide + k));
            c += taps[k] * (load(p + 2 * kWide - k) + load(p + 2 * kWide + k));
            d += taps[k] * (load(p + 3 * kWide - k) + load(p + 3 * kWide + k));
        }
        store(a, out + x);
        store(b, out + x + kWide);
        store(c, out + x + 2 * kWide);
        store(d, out + x + 3 * kWide);
    }
    for (; x < n; ++x) {
        float sum = taps[0] * v[x];
        for (int k = 1; k <= half; ++k) sum += taps[k] * (v[x - k] + v[x + k]);
        out[x] = sum;
    }
}

CAELUMEN_FAST void blurDown(const float* const* rows, int n, const float* taps, int half, float* const* out, int count, const Reaching& see) {
    static_assert(kLook == 4 * kWide);
    constexpr int kTogether = 4 * kWide * 8; // of a row, so that what several rows share stays near
    for (int first = 0; first < n; first += kTogether) {
        const int end = std::min(n, first + kTogether);
        for (int row = 0; row < count; ++row) {
            const float* const* const middle = rows + row + half;
            float* const to = out[row];
            const float* const limit = see.limit[row];
            std::uint8_t* const reaches = see.reaches[row];
            int x = first;
            for (; x + 4 * kWide <= end; x += 4 * kWide) {
                const float* p = middle[0] + x;
                Floats a = taps[0] * load(p), b = taps[0] * load(p + kWide), c = taps[0] * load(p + 2 * kWide), d = taps[0] * load(p + 3 * kWide);
                for (int k = 1; k <= half; ++k) {
                    const float *up = middle[-k] + x, *down = middle[k] + x;
                    a += taps[k] * (load(up) + load(down));
                    b += taps[k] * (load(up + kWide) + load(down + kWide));
                    c += taps[k] * (load(up + 2 * kWide) + load(down + 2 * kWide));
                    d += taps[k] * (load(up + 3 * kWide) + load(down + 3 * kWide));
                }
                store(a, to + x);
                store(b, to + x + kWide);
                store(c, to + x + 2 * kWide);
                store(d, to + x + 3 * kWide);
                const float* const least = limit + x;
                reaches[x / kLook] = isAny((a >= load(least)) | (b >= load(least + kWide)) | (c >= load(least + 2 * kWide)) | (d >= load(least + 3 * kWide)));
            }
            if (x < end) reaches[x / kLook] = 1;
            for (; x < end; ++x) {
                float sum = taps[0] * middle[0][x];
                for (int k = 1; k <= half; ++k) sum += taps[k] * (middle[-k][x] + middle[k][x]);
                to[x] = sum;
            }
        }
    }
}

CAELUMEN_FAST double filtered(const float* middle, std::int64_t stride, const double* taps, int half) {
    std::array<double, 2 * kMostHalf + 1> columns;
    const int n = 2 * half + 1;
    for (int x = 0; x < n; ++x) columns[static_cast<std::size_t>(x)] = 0;
    for (int y = 0; y < n; ++y) {
        const float* const row = middle + (y - half) * stride - half;
        const double tap = taps[y];
        for (int x = 0; x < n; ++x) columns[static_cast<std::size_t>(x)] += tap * static_cast<double>(row[x]);
    }
    double sum = 0;
    for (int x = 0; x < n; ++x) sum += taps[x] * columns[static_cast<std::size_t>(x)];
    return sum;
}

CAELUMEN_FAST int outside(const float* value, const Ramp& low, const Ramp& high, int n, int* out) {
    const Ramp least = low, most = high;
    int x = 0, found = 0;
    const auto look = [&](int at) __attribute__((always_inline)) {
        out[found] = at;
        found += (value[at] < least.at(at)) | (value[at] > most.at(at));
    };
    fetchOn(value, n);
    for (; x + kLook <= n; x += kLook) {
        const int last = x + kLook - 1;
        const float bottom = std::max(least.at(x), least.at(last)), top = std::min(most.at(x), most.at(last)); // nothing between them lies outside
        Ints any{};
        for (int i = x; i < x + kLook; i += kWide) any |= (load(value + i) < bottom) | (load(value + i) > top);
        if (!isAny(any)) continue;
        for (int i = x; i <= last; ++i) look(i);
    }
    for (; x < n; ++x) look(x);
    return found;
}

CAELUMEN_FAST int peaks(const float* above, const float* value, const float* below, const float* limit, const std::uint8_t* reaches, int n, int* out) {
    int found = 0;
    const auto look = [&](int x) __attribute__((always_inline)) {
        const float v = value[x];
        if (!(v >= limit[x])) return;
        const auto at = [&](const float* row, int i) { return i < 0 || i >= n ? 0.0F : row[i]; };
        if (v > at(above, x - 1) && v > above[x] && v > at(above, x + 1) && v > at(value, x - 1) && v >= at(value, x + 1) && v >= at(below, x - 1) &&
            v >= below[x] && v >= at(below, x + 1))
            out[found++] = x;
    };
    for (int x = 0; x < n; x += kLook) {
        if (!reaches[x / kLook]) continue;
        const int end = std::min(n, x + kLook);
        for (int i = x; i < end; i += kWide) { // few of those that reach it are peaks
            if (i > 0 && i + kWide < n) {
                const Floats v = load(value + i);
                if (!isAny((v >= load(limit + i)) & (v > load(value + i - 1)) & (v >= load(value + i + 1)) & (v > load(above + i)) & (v >= load(below + i))))
                    continue;
            }
            for (int k = i; k < std::min(end, i + kWide); ++k) look(k);
        }
    }
    return found;
}

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

CAELUMEN_FAST Found scaleTurned(const std::uint32_t* raw, std::int64_t n, float zero, float factor, float* to) {
    const Found out = scaleFrom<true>(raw, n, zero, factor, to);
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
            for (int i = 0; i < registers * kWide; i += kWide) {
                const Floats x = load(from + i);
                Ints in = (x >= low) & (x < high);
                if (flags) in &= seen(flags, i);
                const auto d = reinterpret_cast<Floats>(reinterpret_cast<Ints>(x - pivot) & in);
                sum += d;
                squares += d * d;
                here -= in;
            }
            count += here;
            rows += here * y;
            for (int i = registers * kWide; i < n; ++i) {
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

CAELUMEN_FAST void countedOf(const float* v, const Flags& hidden, int n, Counted* out) {
    for (int from = 0; from < n; from += Flags::kTogether) {
        const int m = std::min(Flags::kTogether, n - from);
        const std::uint64_t bits = hidden.bits(from, m);
        for (int i = 0; i < m; ++i) {
            const float x = v[from + i];
            const bool counts = __builtin_fabsf(x) < std::numeric_limits<float>::infinity() && !(bits >> i & 1);
            out[from + i] = {counts ? static_cast<double>(x) : 0.0, counts ? 1.0 : 0.0};
        }
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
