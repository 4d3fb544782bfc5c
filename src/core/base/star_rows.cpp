#include "core/base/star_rows.h"

#include "core/base/fetch_ahead.h"
#include "core/base/wide_floats.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <limits>
#include <utility>

namespace caelumen::rows {
namespace {

template<int lanes>
struct Lanes;
template<>
struct Lanes<kWide> {
    using Floats = rows::Floats;
    using Bytes = std::uint8_t __attribute__((vector_size(32)));
};
template<>
struct Lanes<16> {
    using Floats = float __attribute__((vector_size(64)));
    using Bytes = std::uint8_t __attribute__((vector_size(64)));
};

template<class Floats>
__attribute__((always_inline)) inline Floats larger(const Floats& v, const Floats& than) {
    return v > than ? v : than;
}
template<class Floats>
__attribute__((always_inline)) inline Floats smaller(const Floats& v, const Floats& than) {
    return v < than ? v : than;
}
/// Of all bits or none in each lane.
__attribute__((always_inline)) inline bool isAny(const Ints& v) {
#ifdef __SSE__
    __m128 low, high;
    std::memcpy(&low, &v, sizeof low);
    std::memcpy(&high, reinterpret_cast<const char*>(&v) + sizeof low, sizeof high);
    return _mm_movemask_ps(_mm_or_ps(low, high)) != 0;
#else
    std::array<std::int64_t, 4> x;
    std::memcpy(x.data(), &v, sizeof v);
    return ((x[0] | x[1]) | (x[2] | x[3])) != 0;
#endif
}

/// A register of so many floats.
template<int lanes>
struct Register : Lanes<lanes> {
    using typename Lanes<lanes>::Floats;
    using Eight = rows::Floats;
    static_assert(kLook % lanes == 0);

    __attribute__((always_inline)) static Floats load(const float* from) {
        Floats v;
        std::memcpy(&v, from, sizeof v);
        return v;
    }
    __attribute__((always_inline)) static void store(const Floats& v, float* to) { std::memcpy(to, &v, sizeof v); }
    /// Big-endian ones.
    __attribute__((always_inline)) static Floats loadTurned(const std::uint32_t* from) { return turned(from, std::make_integer_sequence<int, 4 * lanes>()); }
    /// The larger ones of both halves: the widest registers are not compared as a whole, which compilers do one by one.
    __attribute__((always_inline)) static Eight largest(const Floats& v) { return larger(eight<0>(v), eight<lanes - 8>(v)); }
    __attribute__((always_inline)) static Eight smallest(const Floats& v) { return smaller(eight<0>(v), eight<lanes - 8>(v)); }
    /// Whether any value is at least the other.
    __attribute__((always_inline)) static bool reachesAny(const Floats& v, const Floats& least) {
        return isAny((eight<0>(v) >= eight<0>(least)) | (eight<lanes - 8>(v) >= eight<lanes - 8>(least)));
    }
    /// The lanes of two registers that follow one another, from `first` on.
    template<int first>
    __attribute__((always_inline)) static Floats from(const Floats& a, const Floats& b) {
        return shifted<first>(a, b, std::make_integer_sequence<int, lanes>());
    }
    /// 0, 1, 2 and so on.
    __attribute__((always_inline)) static Floats steps() { return counted(std::make_integer_sequence<int, lanes>()); }

private:
    template<int... i>
    __attribute__((always_inline)) static Floats turned(const std::uint32_t* from, std::integer_sequence<int, i...>) {
        typename Lanes<lanes>::Bytes v;
        std::memcpy(&v, from, sizeof v);
        return reinterpret_cast<Floats>(__builtin_shufflevector(v, v, (i ^ 3)...));
    }
    template<int first>
    __attribute__((always_inline)) static Eight eight(const Floats& v) {
        if constexpr (lanes == 8)
            return v;
        else
            return __builtin_shufflevector(v, v, first, first + 1, first + 2, first + 3, first + 4, first + 5, first + 6, first + 7);
    }
    template<int first, int... i>
    __attribute__((always_inline)) static Floats shifted(const Floats& a, const Floats& b, std::integer_sequence<int, i...>) {
        return __builtin_shufflevector(a, b, (first + i)...);
    }
    template<int... i>
    __attribute__((always_inline)) static Floats counted(std::integer_sequence<int, i...>) {
        return Floats{static_cast<float>(i)...};
    }
};

template<int lanes>
__attribute__((always_inline)) inline void lookWith(const float* a, const float* b, const float* c, int width, int from, int end, const BlockLimits& limits,
                                                    std::uint8_t* found) {
    using R = Register<lanes>;
    using Floats = typename R::Floats;
    const auto column = [&](int x) __attribute__((always_inline)) {
        return R::load(a + x) + 2 * R::load(b + x) + R::load(c + x);
    };
    const int first = std::max(1, from), last = std::min(end, (width - lanes) / kLook - 1); // a block's right neighbours are loaded as a whole register
    for (int block = from; block < std::min(first, end); ++block) found[block] = kBright | kFar;
    for (int block = std::max({first, last, from}); block < end; ++block) found[block] = kBright | kFar;
    if (first >= last) return;
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
    const bool isLong = (end - from) * kLook * static_cast<int>(sizeof(float)) > kFetchAheadBytes; // of a short one nothing lies so far ahead
    Floats before = column(first * kLook - lanes), here = column(first * kLook);
    for (int block = first; block < last; ++block) {
        if (isLong) fetchOn(c + block * kLook, kLook);                                               // the rows above were there before
        Floats brightest = Floats{} - kInfinite, highest = brightest, lowest = Floats{} + kInfinite; // the first of them sixteen times the mean
        for (int x = block * kLook; x < (block + 1) * kLook; x += lanes) {
            const Floats after = column(x + lanes), v = R::load(b + x);
            brightest = larger(R::template from<lanes - 1>(before, here) + 2 * here + R::template from<1>(here, after), brightest);
            highest = larger(v, highest), lowest = smaller(v, lowest);
            before = here, here = after;
        }
        const float bright = 16 * limits.bright[block], high = limits.high[block], low = limits.low[block];
        found[block] = 0;
        if (!isAny(R::largest(larger(brightest - bright, larger(highest - high, low - lowest))) >= 0)) continue; // as nearly everywhere
        const bool isBright = isAny(R::largest(brightest) >= bright), isFar = isAny((R::largest(highest) > high) | (R::smallest(lowest) < low));
        found[block] = static_cast<std::uint8_t>((isBright ? kBright : 0) | (isFar ? kFar : 0));
    }
}

/// What is picked of a register's halves, of halves of these and so on.
template<class Pick>
__attribute__((always_inline)) inline float ofAll(Floats v, const Pick& pick) {
    v = pick(v, __builtin_shufflevector(v, v, 4, 5, 6, 7, 0, 1, 2, 3));
    v = pick(v, __builtin_shufflevector(v, v, 2, 3, 0, 1, 6, 7, 4, 5));
    return pick(v, __builtin_shufflevector(v, v, 1, 0, 3, 2, 5, 4, 7, 6))[0];
}

/// Load: so many values from a place on; one: the value there.
template<int lanes, class Load, class One>
__attribute__((always_inline)) inline void extremesOf(int n, const Load& load, const One& one, float* lowest, float* highest) {
    using R = Register<lanes>;
    using Floats = typename R::Floats;
    using Eight = typename R::Eight;
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
    for (int first = 0; first < n; first += kStretch) {
        Floats highs = Floats{} - kInfinite, lows = Floats{} + kInfinite;
        const int end = std::min(n, first + kStretch);
        int x = first;
        for (; x + lanes <= end; x += lanes) {
            const Floats v = load(x);
            highs = larger(v, highs), lows = smaller(v, lows);
        }
        float low = ofAll(R::smallest(lows), smaller<Eight>), high = ofAll(R::largest(highs), larger<Eight>);
        for (; x < end; ++x) low = smaller(one(x), low), high = larger(one(x), high);
        *lowest++ = low, *highest++ = high;
    }
}

template<int lanes>
__attribute__((always_inline)) inline void extremesWith(const float* v, int n, float* lows, float* highs) {
    extremesOf<lanes>(
        n, [&](int x) __attribute__((always_inline)) { return Register<lanes>::load(v + x); }, [&](int x) __attribute__((always_inline)) { return v[x]; }, lows,
        highs);
}

template<int lanes>
__attribute__((always_inline)) inline void extremesTurnedWith(const std::uint32_t* raw, int n, float* lows, float* highs) {
    extremesOf<lanes>(
        n, [&](int x) __attribute__((always_inline)) { return Register<lanes>::loadTurned(raw + x); },
        [&](int x) __attribute__((always_inline)) { return std::bit_cast<float>(__builtin_bswap32(raw[x])); }, lows, highs);
}

template<int lanes>
__attribute__((always_inline)) inline void aboveRampsWith(const float* v, const Piece* pieces, int count, float* out) {
    using R = Register<lanes>;
    using Floats = typename R::Floats;
    const Floats steps = R::steps();
    for (int k = 0; k < count; ++k) {
        const auto [first, n, ramp] = pieces[k];
        const float *from = v + first, start = ramp.start, step = ramp.step;
        float* const to = out + first;
        fetchOn(from, n);
        int i = 0;
        for (; i + lanes <= n; i += lanes) {
            const Floats d = R::load(from + i) - (start + step * (steps + static_cast<float>(i)));
            R::store(d == d ? d : Floats{}, to + i);
        }
        for (; i < n; ++i) {
            const float d = from[i] - (start + step * static_cast<float>(i));
            to[i] = d == d ? d : 0.0F;
        }
    }
}

template<int lanes>
__attribute__((always_inline)) inline void blurAcrossWith(const float* v, int n, const float* taps, int half, float* out, const float* next) {
    using R = Register<lanes>;
    using Floats = typename R::Floats;
    int x = 0;
    for (; x + 4 * lanes <= n; x += 4 * lanes) { // a piece at a time, so that sums stay in registers
        const float* p = v + x;
        fetchRow(next + x, 0, 4 * lanes);
        Floats a = taps[0] * R::load(p), b = taps[0] * R::load(p + lanes), c = taps[0] * R::load(p + 2 * lanes), d = taps[0] * R::load(p + 3 * lanes);
        for (int k = 1; k <= half; ++k) {
            a += taps[k] * (R::load(p - k) + R::load(p + k));
            b += taps[k] * (R::load(p + lanes - k) + R::load(p + lanes + k));
            c += taps[k] * (R::load(p + 2 * lanes - k) + R::load(p + 2 * lanes + k));
            d += taps[k] * (R::load(p + 3 * lanes - k) + R::load(p + 3 * lanes + k));
        }
        R::store(a, out + x);
        R::store(b, out + x + lanes);
        R::store(c, out + x + 2 * lanes);
        R::store(d, out + x + 3 * lanes);
    }
    for (; x + lanes <= n; x += lanes) {
        Floats sum = taps[0] * R::load(v + x);
        for (int k = 1; k <= half; ++k) sum += taps[k] * (R::load(v + x - k) + R::load(v + x + k));
        R::store(sum, out + x);
    }
    for (; x < n; ++x) {
        float sum = taps[0] * v[x];
        for (int k = 1; k <= half; ++k) sum += taps[k] * (v[x - k] + v[x + k]);
        out[x] = sum;
    }
}

template<int lanes>
__attribute__((always_inline)) inline void blurDownWith(const float* const* rows, int n, const float* taps, int half, float* const* out, int count,
                                                        const Reaching& see) {
    using R = Register<lanes>;
    using Floats = typename R::Floats;
    constexpr int kStep = 4 * lanes;
    static_assert(kStep % kLook == 0);
    constexpr int kTogether = 8 * 4 * 8; // of a row, so that what several rows share stays near
    for (int first = 0; first < n; first += kTogether) {
        const int end = std::min(n, first + kTogether);
        for (int row = 0; row < count; ++row) {
            const float* const* const middle = rows + row + half;
            float* const to = out[row];
            const float* const limit = see.limit[row];
            std::uint8_t* const reaches = see.reaches[row];
            int x = first;
            for (; x + kStep <= end; x += kStep) {
                const float* p = middle[0] + x;
                std::array<Floats, 4> sum;
                for (unsigned i = 0; i < 4; ++i) sum[i] = taps[0] * R::load(p + static_cast<int>(i) * lanes);
                for (int k = 1; k <= half; ++k) {
                    const float *up = middle[-k] + x, *down = middle[k] + x;
                    for (unsigned i = 0; i < 4; ++i)
                        sum[i] += taps[k] * (R::load(up + static_cast<int>(i) * lanes) + R::load(down + static_cast<int>(i) * lanes));
                }
                constexpr unsigned kOfBlock = kLook / lanes;
                for (unsigned i = 0; i < 4; i += kOfBlock) {
                    Floats above;
                    for (unsigned k = i; k < i + kOfBlock; ++k) {
                        const int at = x + static_cast<int>(k) * lanes;
                        R::store(sum[k], to + at);
                        const Floats here = sum[k] - R::load(limit + at);
                        above = k == i ? here : larger(here, above);
                    }
                    reaches[(x + static_cast<int>(i) * lanes) / kLook] = isAny(R::largest(above) >= 0);
                }
            }
            for (int block = x / kLook; block * kLook < end; ++block) reaches[block] = 1;
            for (; x + lanes <= end; x += lanes) {
                Floats sum = taps[0] * R::load(middle[0] + x);
                for (int k = 1; k <= half; ++k) sum += taps[k] * (R::load(middle[-k] + x) + R::load(middle[k] + x));
                R::store(sum, to + x);
            }
            for (; x < end; ++x) {
                float sum = taps[0] * middle[0][x];
                for (int k = 1; k <= half; ++k) sum += taps[k] * (middle[-k][x] + middle[k][x]);
                to[x] = sum;
            }
        }
    }
}

template<int lanes>
__attribute__((always_inline)) inline int peaksWith(const float* above, const float* value, const float* below, const float* limit, const std::uint8_t* reaches,
                                                    int n, int* out) {
    using R = Register<lanes>;
    using Floats = R::Floats;
    int found = 0;
    const auto lookAt = [&](int x) __attribute__((always_inline)) {
        const float v = value[x];
        if (!(v >= limit[x])) return;
        const auto at = [&](const float* row, int i) { return i < 0 || i >= n ? 0.0F : row[i]; };
        if (v > at(above, x - 1) && v > above[x] && v > at(above, x + 1) && v > at(value, x - 1) && v >= at(value, x + 1) && v >= at(below, x - 1) &&
            v >= below[x] && v >= at(below, x + 1))
            out[found++] = x;
    };
    const int blocks = blocksOf(n);
    for (int block = 0; block < blocks; ++block) {
        std::uint64_t eight = 1;
        if (block + 8 <= blocks) std::memcpy(&eight, reaches + block, sizeof eight);
        if (eight == 0) { // as most of them
            block += 7;
            continue;
        }
        if (!reaches[block]) continue;
        const int x = block * kLook, end = std::min(n, x + kLook);
        for (int i = x; i < end; i += lanes) { // few of those that reach it are peaks
            if (i > 0 && i + lanes < n) {
                const Floats v = R::load(value + i);
                const typename R::Floats beside = larger(R::load(value + i - 1), R::load(value + i + 1)), over = larger(R::load(above + i), R::load(below + i));
                if (!R::reachesAny(v, larger(larger(beside, over), R::load(limit + i)))) continue;
            }
            for (int k = i; k < std::min(end, i + lanes); ++k) lookAt(k);
        }
    }
    return found;
}

} // namespace

float smoothed(const float* a, const float* b, const float* c, int width, int x) {
    const auto column = [&](int at) { return (a[at] + 2 * b[at] + c[at]) * (1.0F / 16); };
    if (width == 1) return 4 * column(0);
    if (x == 0) return 3 * column(0) + column(1);
    if (x == width - 1) return column(x - 1) + 3 * column(x);
    return column(x - 1) + 2 * column(x) + column(x + 1);
}

CAELUMEN_FAST int smoothReaching(const float* a, const float* b, const float* c, int width, const Piece& limit, int from, int end, int* out) {
    const Ramp ramp = limit.ramp;
    const int start = limit.x;
    int found = 0;
    std::array<float, kLook> mean;
    std::array<std::int32_t, kLook> reaches;
    for (int first = from; first < end; first += kLook) {
        const int n = std::min(kLook, end - first), left = first == 0 ? 1 : 0, right = first + n == width ? n - 1 : n;
        const float *above = a + first, *here = b + first, *below = c + first;
        const auto column = [&](int i) __attribute__((always_inline)) {
            return (above[i] + 2 * here[i] + below[i]) * (1.0F / 16);
        };
        for (int i = left; i < right; ++i) mean[static_cast<unsigned>(i)] = column(i - 1) + 2 * column(i) + column(i + 1);
        if (left == 1) mean[0] = smoothed(a, b, c, width, 0);
        if (right < n) mean[static_cast<unsigned>(n) - 1] = smoothed(a, b, c, width, width - 1);
        for (int i = 0; i < n; ++i) reaches[static_cast<unsigned>(i)] = mean[static_cast<unsigned>(i)] >= ramp.at(first + i - start) ? 1 : 0;
        for (int i = 0; i < n; ++i) { // such places lie together: no guessing at each
            out[found] = first + i;
            found += reaches[static_cast<unsigned>(i)];
        }
    }
    return found;
}

CAELUMEN_FAST int outside(const float* value, const Piece& low, const Piece& high, int from, int end, int* out) {
    const Ramp least = low.ramp, most = high.ramp;
    const int start = low.x;
    int found = 0;
    std::array<std::int32_t, kLook> lies;
    for (int first = from; first < end; first += kLook) {
        const int n = std::min(kLook, end - first);
        for (int i = 0; i < n; ++i) {
            const float v = value[first + i];
            lies[static_cast<unsigned>(i)] = (v < least.at(first + i - start) ? 1 : 0) | (v > most.at(first + i - start) ? 1 : 0);
        }
        for (int i = 0; i < n; ++i) {
            out[found] = first + i;
            found += lies[static_cast<unsigned>(i)];
        }
    }
    return found;
}

CAELUMEN_BY_WIDTH(void, extremes, (const float* v, int n, float* lows, float* highs), (v, n, lows, highs))
CAELUMEN_BY_WIDTH(void, extremesTurned, (const std::uint32_t* raw, int n, float* lows, float* highs), (raw, n, lows, highs))
CAELUMEN_BY_WIDTH(void, look, (const float* a, const float* b, const float* c, int width, int from, int end, const BlockLimits& limits, std::uint8_t* found),
                  (a, b, c, width, from, end, limits, found))
CAELUMEN_BY_WIDTH(void, aboveRamps, (const float* v, const Piece* pieces, int count, float* out), (v, pieces, count, out))
CAELUMEN_BY_WIDTH(void, blurAcross, (const float* v, int n, const float* taps, int half, float* out, const float* next), (v, n, taps, half, out, next))
CAELUMEN_BY_WIDTH(void, blurDown, (const float* const* rows, int n, const float* taps, int half, float* const* out, int count, const Reaching& see),
                  (rows, n, taps, half, out, count, see))

CAELUMEN_BY_WIDTH(int, peaks, (const float* above, const float* value, const float* below, const float* limit, const std::uint8_t* reaches, int n, int* out),
                  (above, value, below, limit, reaches, n, out))

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

} // namespace caelumen::rows
