#include "core/base/pixel_rows.h"

#include "core/base/wide.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>

namespace caelumen::rows {
namespace {

constexpr int kLanes = 16; ///< pixels done side by side
/// Half of them: one wide register, or two of those that every machine has.
using Floats = float __attribute__((vector_size(32)));
using Ints = std::int32_t __attribute__((vector_size(32)));
constexpr int kWide = 8;

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

__attribute__((always_inline)) inline bool isAny(const Ints& v) {
    std::array<std::int64_t, 4> x;
    std::memcpy(x.data(), &v, sizeof v);
    return ((x[0] | x[1]) | (x[2] | x[3])) != 0;
}

constexpr int kLook = 32; ///< pixels looked at together where few are wanted
__attribute__((always_inline)) inline bool reachesAny(const float* value, const float* limit) {
    Ints any{};
    for (int i = 0; i < kLook; i += kWide) any |= load(value + i) >= load(limit + i);
    return isAny(any);
}

template<class T>
auto sumOf(T v) {
    std::array<decltype(v[0] + v[0]), kWide> x;
    std::memcpy(x.data(), &v, sizeof v);
    return (x[0] + x[4]) + (x[1] + x[5]) + ((x[2] + x[6]) + (x[3] + x[7]));
}

} // namespace

CAELUMEN_FAST void smooth(const float* a, const float* b, const float* c, int n, float* vertical, float* out) {
    for (int x = 0; x < n; ++x) vertical[x] = (a[x] + 2 * b[x] + c[x]) * (1.0F / 16);
    if (n == 1) {
        out[0] = 4 * vertical[0];
        return;
    }
    out[0] = 3 * vertical[0] + vertical[1];
    for (int x = 1; x < n - 1; ++x) out[x] = vertical[x - 1] + 2 * vertical[x] + vertical[x + 1];
    out[n - 1] = vertical[n - 2] + 3 * vertical[n - 1];
}

CAELUMEN_FAST void aboveRamp(const float* v, float start, float step, int n, float* out) {
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

CAELUMEN_FAST void blurDown(const float* const* rows, int n, const float* taps, int half, float* out) {
    int x = 0;
    for (; x + 4 * kWide <= n; x += 4 * kWide) {
        const float* p = rows[half] + x;
        Floats a = taps[0] * load(p), b = taps[0] * load(p + kWide), c = taps[0] * load(p + 2 * kWide), d = taps[0] * load(p + 3 * kWide);
        for (int k = 1; k <= half; ++k) {
            const float *up = rows[half - k] + x, *down = rows[half + k] + x;
            a += taps[k] * (load(up) + load(down));
            b += taps[k] * (load(up + kWide) + load(down + kWide));
            c += taps[k] * (load(up + 2 * kWide) + load(down + 2 * kWide));
            d += taps[k] * (load(up + 3 * kWide) + load(down + 3 * kWide));
        }
        store(a, out + x);
        store(b, out + x + kWide);
        store(c, out + x + 2 * kWide);
        store(d, out + x + 3 * kWide);
    }
    for (; x < n; ++x) {
        float sum = taps[0] * rows[half][x];
        for (int k = 1; k <= half; ++k) sum += taps[k] * (rows[half - k][x] + rows[half + k][x]);
        out[x] = sum;
    }
}

CAELUMEN_FAST int reaching(const float* value, const float* limit, int n, int* out) {
    int x = 0, found = 0;
    for (; x + kLook <= n; x += kLook) {
        if (!reachesAny(value + x, limit + x)) continue;
        for (int i = x; i < x + kLook; ++i) { // such places lie together: no guessing at each
            out[found] = i;
            found += value[i] >= limit[i];
        }
    }
    for (; x < n; ++x)
        if (value[x] >= limit[x]) out[found++] = x;
    return found;
}

CAELUMEN_FAST int outside(const float* value, const float* low, const float* high, int n, int* out) {
    int x = 0, found = 0;
    for (; x + kLook <= n; x += kLook) {
        Ints any{};
        for (int i = x; i < x + kLook; i += kWide) any |= (load(value + i) < load(low + i)) | (load(value + i) > load(high + i));
        if (!isAny(any)) continue;
        for (int i = x; i < x + kLook; ++i) {
            out[found] = i;
            found += (value[i] < low[i]) | (value[i] > high[i]);
        }
    }
    for (; x < n; ++x)
        if (value[x] < low[x] || value[x] > high[x]) out[found++] = x;
    return found;
}

CAELUMEN_FAST int peaks(const float* above, const float* value, const float* below, const float* limit, int n, int* out) {
    int found = 0;
    const auto look = [&](int x) __attribute__((always_inline)) {
        const float v = value[x];
        if (!(v >= limit[x])) return;
        const auto at = [&](const float* row, int i) { return i < 0 || i >= n ? 0.0F : row[i]; };
        if (v > at(above, x - 1) && v > above[x] && v > at(above, x + 1) && v > at(value, x - 1) && v >= at(value, x + 1) && v >= at(below, x - 1) &&
            v >= below[x] && v >= at(below, x + 1))
            out[found++] = x;
    };
    if (n > 0) look(0);
    int x = 1;
    for (; x + kLook < n; x += kLook) {
        if (!reachesAny(value + x, limit + x)) continue;
        for (int i = x; i < x + kLook; i += kWide) { // few of those that reach it are peaks
            const Floats v = load(value + i);
            if (isAny((v >= load(limit + i)) & (v > load(value + i - 1)) & (v >= load(value + i + 1)) & (v > load(above + i)) & (v >= load(below + i))))
                for (int k = i; k < i + kWide; ++k) look(k);
        }
    }
    for (; x < n; ++x) look(x);
    return found;
}

CAELUMEN_FAST void scale(float* v, std::int64_t n, float zero, float factor) {
    for (std::int64_t i = 0; i < n; ++i) v[i] = (v[i] - zero) * factor;
}

CAELUMEN_FAST Found scaleAndLook(float* v, std::int64_t n, float zero, float factor) {
    constexpr std::int32_t kSize = 0x7fffffff, kInfiniteBits = 0x7f800000; // of a float but for its sign
    Found out;
    std::int64_t from = 0;
    while (from + kLanes <= n) {
        const std::int64_t end = std::min(n - n % kLanes, from + kLanes * 4096);
        std::array<Ints, 2> zeros{}, infinite{};
        for (; from < end; from += kLanes) {
            for (unsigned k = 0; k < 2; ++k) {
                const Floats x = load(v + from + kWide * k);
                infinite[k] |= (reinterpret_cast<Ints>(x) & kSize) == kInfiniteBits;
                zeros[k] -= x == 0;
                store((x - zero) * factor, v + from + kWide * k);
            }
        }
        out.zeros += sumOf(zeros[0] + zeros[1]);
        out.infinite = out.infinite || sumOf((infinite[0] | infinite[1]) & 1) != 0;
    }
    for (; from < n; ++from) {
        out.zeros += v[from] == 0;
        out.infinite = out.infinite || std::isinf(v[from]);
        v[from] = (v[from] - zero) * factor;
    }
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

CAELUMEN_FAST void residuals(const float* v, const float* level, const std::uint8_t* hidden, int n, float limit, float* out, float* mark) {
    int i = 0;
    for (; i + kWide <= n; i += kWide) {
        Floats x, l;
        std::memcpy(&x, v + i, sizeof x);
        std::memcpy(&l, level + i, sizeof l);
        const Floats d = x - l;
        Ints in = (d > -limit) & (d < limit); // all bits where true
        if (hidden) in &= seen(hidden + i);
        const auto left = reinterpret_cast<Floats>(reinterpret_cast<Ints>(d) & in), one = reinterpret_cast<Floats>(reinterpret_cast<Ints>(Floats{} + 1) & in);
        std::memcpy(out + i, &left, sizeof left);
        std::memcpy(mark + i, &one, sizeof one);
    }
    for (; i < n; ++i) {
        const float d = v[i] - level[i];
        const bool in = d > -limit && d < limit && !(hidden && hidden[i]);
        mark[i] = in ? 1 : 0;
        out[i] = in ? d : 0;
    }
}

CAELUMEN_FAST void add(const float* from, int n, float* to) {
    for (int i = 0; i < n; ++i) to[i] += from[i];
}

CAELUMEN_FAST std::int64_t count(const std::uint8_t* flags, std::int64_t n) {
    std::int64_t sum = 0;
    for (std::int64_t from = 0; from < n; from += 255) {
        const int m = static_cast<int>(std::min<std::int64_t>(255, n - from));
        int part = 0;
        for (int i = 0; i < m; ++i) part += flags[from + i];
        sum += part;
    }
    return sum;
}

CAELUMEN_FAST Sums sums(const float* v, const std::uint8_t* hidden, int n, float low, float high, float pivot) {
    constexpr int kBlock = 64 * kLanes; // within which single precision is ample
    Sums out;
    int from = 0;
    while (from + kWide <= n) {
        const int end = std::min(n - n % kWide, from + kBlock);
        std::array<Floats, 2> sum{}, squares{};
        std::array<Ints, 2> count{};
        const auto take = [&](unsigned k) __attribute__((always_inline)) {
            Floats x;
            std::memcpy(&x, v + from, sizeof x);
            Ints in = (x >= low) & (x < high); // all bits where true
            if (hidden) in &= seen(hidden + from);
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
        if (!(v[from] >= low && v[from] < high) || (hidden && hidden[from])) continue;
        const double d = static_cast<double>(v[from] - pivot);
        ++out.count;
        out.sum += d;
        out.squares += d * d;
    }
    return out;
}

CAELUMEN_FAST RectangleSums rectangleSums(const float* v, const std::uint8_t* hidden, std::int64_t stride, int down, int n, float low, float high,
                                          float pivot) {
    constexpr int kMost = 128;                                                               // registers within which single precision is ample
    const int registers = n / kWide, together = std::max(1, kMost / std::max(1, registers)); // rows at a time
    RectangleSums out;
    for (int top = 0; top < down; top += together) {
        const int bottom = std::min(down, top + together);
        Floats sum{}, squares{};
        Ints count{}, rows{};
        for (int y = top; y < bottom; ++y) {
            const float* from = v + y * stride;
            const std::uint8_t* flags = hidden ? hidden + y * stride : nullptr;
            Ints here{};
            for (int i = 0; i < registers * kWide; i += kWide) {
                const Floats x = load(from + i);
                Ints in = (x >= low) & (x < high);
                if (flags) in &= seen(flags + i);
                const auto d = reinterpret_cast<Floats>(reinterpret_cast<Ints>(x - pivot) & in);
                sum += d;
                squares += d * d;
                here -= in;
            }
            count += here;
            rows += here * y;
            for (int i = registers * kWide; i < n; ++i) {
                if (!(from[i] >= low && from[i] < high) || (flags && flags[i])) continue;
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

CAELUMEN_FAST void gather(const float* v, int n, float pivot, float weight, const Gathered& to) {
    float* const sum = to.sum;
    float* const all = to.weight;
    float* const count = to.count;
    float* const low = to.low;
    float* const high = to.high;
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const float d = v[i] - pivot;
        const bool is = d == d;
        sum[i] += is ? weight * d : 0.0F;
        all[i] += is ? weight : 0.0F;
        count[i] += is ? 1.0F : 0.0F;
        low[i] = d < low[i] ? d : low[i];
        high[i] = d > high[i] ? d : high[i];
    }
}

CAELUMEN_FAST void gatherByTurns(const float* v, int n, float pivot, float weight, const float* each, bool second, float* turn, const Gathered& a,
                                 const Gathered& b) {
    const Gathered halves[2] = {a, b};
    const auto only = [](const Floats& x, const Ints& where) __attribute__((always_inline)) {
        return reinterpret_cast<Floats>(reinterpret_cast<Ints>(x) & where);
    };
    int i = 0;
    for (; i + kWide <= n; i += kWide) {
        const Floats d = load(v + i) - pivot, now = load(turn + i);
        const Ints is = d == d, byTurns = load(each + i) != 0, late = (byTurns & (now != 0)) | (~byTurns & (second ? -1 : 0));
        store(now + only(1 - 2 * now, is), turn + i);
        for (int half = 0; half < 2; ++half) {
            const Gathered& to = halves[half];
            const Ints here = is & (half == 1 ? late : ~late);
            store(load(to.sum + i) + only(weight * d, here), to.sum + i);
            store(load(to.weight + i) + only(Floats{} + weight, here), to.weight + i);
            store(load(to.count + i) + only(Floats{} + 1, here), to.count + i);
            const Floats low = load(to.low + i), high = load(to.high + i);
            store((d < low) & here ? d : low, to.low + i);
            store((d > high) & here ? d : high, to.high + i);
        }
    }
    for (; i < n; ++i) {
        const float d = v[i] - pivot;
        if (d != d) continue;
        const Gathered& to = halves[each[i] != 0 ? (turn[i] != 0 ? 1 : 0) : second ? 1 : 0];
        turn[i] = 1 - turn[i];
        to.sum[i] += weight * d, to.weight[i] += weight, to.count[i] += 1;
        to.low[i] = std::min(to.low[i], d), to.high[i] = std::max(to.high[i], d);
    }
}

CAELUMEN_FAST void join(const Gathered& a, const Gathered& b, int n, const Gathered& to) {
    const Gathered p = a, q = b, out = to;
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        out.sum[i] = p.sum[i] + q.sum[i];
        out.weight[i] = p.weight[i] + q.weight[i];
        out.count[i] = p.count[i] + q.count[i];
        out.low[i] = q.low[i] < p.low[i] ? q.low[i] : p.low[i];
        out.high[i] = q.high[i] > p.high[i] ? q.high[i] : p.high[i];
    }
}

CAELUMEN_FAST void calibrate(const float* v, int n, const float* zero, float level, const float* factor, float* out) {
    if (zero && factor) {
#pragma GCC ivdep
        for (int i = 0; i < n; ++i) out[i] = (v[i] - zero[i]) * factor[i];
    } else if (zero) {
#pragma GCC ivdep
        for (int i = 0; i < n; ++i) out[i] = v[i] - zero[i];
    } else if (factor) {
#pragma GCC ivdep
        for (int i = 0; i < n; ++i) out[i] = (v[i] - level) * factor[i];
    } else {
#pragma GCC ivdep
        for (int i = 0; i < n; ++i) out[i] = v[i] - level;
    }
}

CAELUMEN_FAST void sixPoint(const float* const rows[6], const SixTaps& across, const SixTaps& down, int n, float weight, float* room, float* out) {
    const SixTaps d = down, a = across;
    const float *r0 = rows[0] - 2, *r1 = rows[1] - 2, *r2 = rows[2] - 2, *r3 = rows[3] - 2, *r4 = rows[4] - 2, *r5 = rows[5] - 2;
#pragma GCC ivdep
    for (int i = 0; i < n + 5; ++i) {
        const auto k = static_cast<float>(i - 2);
        room[i] = (d.start[0] + d.step[0] * k) * r0[i] + (d.start[1] + d.step[1] * k) * r1[i] + (d.start[2] + d.step[2] * k) * r2[i] +
                  (d.start[3] + d.step[3] * k) * r3[i] + (d.start[4] + d.step[4] * k) * r4[i] + (d.start[5] + d.step[5] * k) * r5[i];
    }
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const auto k = static_cast<float>(i);
        out[i] +=
            weight * ((a.start[0] + a.step[0] * k) * room[i] + (a.start[1] + a.step[1] * k) * room[i + 1] + (a.start[2] + a.step[2] * k) * room[i + 2] +
                      (a.start[3] + a.step[3] * k) * room[i + 3] + (a.start[4] + a.step[4] * k) * room[i + 4] + (a.start[5] + a.step[5] * k) * room[i + 5]);
    }
}

CAELUMEN_FAST void level(float* v, int n, float start, float step, float factor, float pivot) {
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) v[i] = (v[i] - start - step * static_cast<float>(i)) * factor + pivot;
}

CAELUMEN_FAST void screen(const Gathered& from, int n, const Screen& how, float* out, std::uint8_t* doubtful) {
    const float *sum = from.sum, *all = from.weight, *count = from.count, *low = from.low, *high = from.high;
    const Screen h = how;
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const float mean = sum[i] / (all[i] > 0 ? all[i] : 1), above = mean > 0 ? mean : 0;
        const float noise2 = h.sky2 + h.photon * above, sigma = __builtin_sqrtf(noise2 + h.part2 * above * above);
        const bool known = (count[i] > 0) & (high[i] - mean <= h.high * sigma) & (mean - low[i] <= h.low * sigma);
        const float back = (count[i] > 2) & (above < h.partLimit) ? h.bias * __builtin_sqrtf(noise2) : 0;
        out[i] = h.level + mean - back;
        doubtful[i] = !known;
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
