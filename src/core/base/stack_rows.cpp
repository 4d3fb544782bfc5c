#include "core/base/stack_rows.h"

#include "core/base/wide_floats.h"

#include <algorithm>
#include <limits>

namespace caelumen::rows {

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
