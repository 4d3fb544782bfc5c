#include "core/base/stack_rows.h"

#include "core/base/wide_floats.h"

#include <algorithm>
#include <limits>

namespace caelumen::rows {

namespace {

__attribute__((always_inline)) inline Floats only(const Floats& x, const Ints& where) {
    return reinterpret_cast<Floats>(reinterpret_cast<Ints>(x) & where);
}

constexpr int kAhead = 128; ///< pixels: of many rows that are read side by side the machine foresees too few

/// What eight pixels come to.
struct Eight {
    Floats sum{}, weight{}, count{}, low = Floats{} + std::numeric_limits<float>::infinity(), high = Floats{} - std::numeric_limits<float>::infinity();

    __attribute__((always_inline)) void take(const Floats& d, float by, const Ints& here) {
        sum += only(by * d, here);
        weight += only(Floats{} + by, here);
        count += only(Floats{} + 1, here);
        low = (d < low) & here ? d : low;
        high = (d > high) & here ? d : high;
    }
    __attribute__((always_inline)) void put(const Gathered& to, int i) const {
        store(sum, to.sum + i), store(weight, to.weight + i), store(count, to.count + i);
        store(low, to.low + i), store(high, to.high + i);
    }
};

/// What one pixel comes to.
struct One {
    float sum = 0, weight = 0, count = 0, low = std::numeric_limits<float>::infinity(), high = -std::numeric_limits<float>::infinity();

    void take(float d, float by) {
        sum += by * d, weight += by, count += 1;
        low = d < low ? d : low, high = d > high ? d : high;
    }
    void put(const Gathered& to, int i) const { to.sum[i] = sum, to.weight[i] = weight, to.count[i] = count, to.low[i] = low, to.high[i] = high; }
};

/// All bits where the byte is not 0, of eight bytes.
__attribute__((always_inline)) inline Ints isSet(const std::uint8_t* bytes) {
    constexpr Ints kEach{0xff, 0xff00, 0xff0000, -0x1000000, 0xff, 0xff00, 0xff0000, -0x1000000};
    std::array<std::int32_t, 2> flags;
    std::memcpy(flags.data(), bytes, sizeof flags);
    const Ints spread{flags[0], flags[0], flags[0], flags[0], flags[1], flags[1], flags[1], flags[1]};
    return (spread & kEach) != 0;
}

} // namespace

CAELUMEN_FAST void gather(const float* const* v, const float* weight, int rows, int n, float pivot, const Gathered& to) {
    int i = 0;
    for (; i + 2 * kWide <= n; i += 2 * kWide) { // a line of the cache of each row
        Eight left, right;
        for (int k = 0; k < rows; ++k) {
            __builtin_prefetch(v[k] + i + kAhead);
            const Floats a = load(v[k] + i) - pivot, b = load(v[k] + i + kWide) - pivot;
            left.take(a, weight[k], a == a);
            right.take(b, weight[k], b == b);
        }
        left.put(to, i);
        right.put(to, i + kWide);
    }
    for (; i < n; ++i) {
        One one;
        for (int k = 0; k < rows; ++k)
            if (const float d = v[k][i] - pivot; d == d) one.take(d, weight[k]);
        one.put(to, i);
    }
}

CAELUMEN_FAST void gatherByTurns(const float* const* v, const float* weight, int rows, int n, float pivot, const std::uint8_t* each, const Gathered& a,
                                 const Gathered& b) {
    int i = 0;
    for (; i + kWide <= n; i += kWide) {
        Eight first, second;
        const Ints byTurns = isSet(each + i);
        Ints turn{}; // all bits where the second is next
        for (int k = 0; k < rows; ++k) {
            __builtin_prefetch(v[k] + i + kAhead);
            const Floats d = load(v[k] + i) - pivot;
            const Ints is = d == d, late = (byTurns & turn) | (~byTurns & (k % 2 == 1 ? -1 : 0));
            turn ^= is;
            first.take(d, weight[k], is & ~late);
            second.take(d, weight[k], is & late);
        }
        first.put(a, i);
        second.put(b, i);
    }
    for (; i < n; ++i) {
        One first, second;
        bool turn = false;
        for (int k = 0; k < rows; ++k) {
            const float d = v[k][i] - pivot;
            if (d != d) continue;
            (each[i] != 0 ? turn : k % 2 == 1) ? second.take(d, weight[k]) : first.take(d, weight[k]);
            turn = !turn;
        }
        first.put(a, i);
        second.put(b, i);
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

CAELUMEN_FAST void takeDrops(float* v, int n, std::uint16_t* values, std::uint16_t* reached) {
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
#pragma GCC ivdep
    for (int i = 0; i < n; ++i) {
        const float x = v[i];
        const bool finite = __builtin_fabsf(x) < kInfinite;
        reached[i] = static_cast<std::uint16_t>(reached[i] + (x == x));
        values[i] = static_cast<std::uint16_t>(values[i] + finite);
        v[i] = finite ? x : std::numeric_limits<float>::quiet_NaN();
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

} // namespace caelumen::rows
