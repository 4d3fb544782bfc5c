#include "core/base/pixel_rows.h"

#include <algorithm>
#include <cmath>
#include <limits>

// Sanitizers and dispatch by instruction set do not mix.
#if defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__) && defined(__GNUC__) && !defined(__clang__)
#define CAELUMEN_FAST __attribute__((target_clones("avx2", "default"), optimize("O3")))
#else
#define CAELUMEN_FAST
#endif

namespace caelumen::rows {

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

CAELUMEN_FAST int nextAbove(const float* value, const float* limit, int x, int n) {
    constexpr int kBlock = 64;
    for (; x + kBlock <= n; x += kBlock) {
        int any = 0;
        for (int i = 0; i < kBlock; ++i) any |= value[x + i] >= limit[x + i];
        if (any) break;
    }
    while (x < n && !(value[x] >= limit[x])) ++x;
    return x;
}

CAELUMEN_FAST void ramp(float start, float step, int n, float* out) {
    for (int i = 0; i < n; ++i) out[i] = start + step * static_cast<float>(i);
}

CAELUMEN_FAST void scale(float* v, std::int64_t n, float zero, float factor) {
    for (std::int64_t i = 0; i < n; ++i) v[i] = (v[i] - zero) * factor;
}

CAELUMEN_FAST Extremes extremes(const float* v, std::int64_t n) {
    constexpr float kInfinite = std::numeric_limits<float>::infinity();
    constexpr std::int64_t kBlock = 4096; // small counters vectorise
    Extremes out{-kInfinite, 0, false};
    for (std::int64_t from = 0; from < n; from += kBlock) {
        const int m = static_cast<int>(std::min(kBlock, n - from));
        const float* p = v + from;
        float top = -kInfinite;
        int zeros = 0, infinite = 0;
        for (int i = 0; i < m; ++i) {
            const float x = p[i];
            zeros += x == 0 ? 1 : 0;
            const float size = std::abs(x);
            infinite |= size == kInfinite ? 1 : 0;
            top = x > top && size < kInfinite ? x : top;
        }
        out.top = std::max(out.top, top);
        out.zeros += zeros;
        out.infinite = out.infinite || infinite != 0;
    }
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

CAELUMEN_FAST Sums sums(const float* v, const std::uint8_t* hidden, int n, float low, float high, float pivot) {
    constexpr int kBlock = 256; // within which single precision is ample
    Sums out;
    for (int from = 0; from < n; from += kBlock) {
        const int m = std::min(kBlock, n - from);
        const float* p = v + from;
        float sum = 0, squares = 0, places = 0;
        int count = 0;
        if (hidden) {
            const std::uint8_t* h = hidden + from;
            for (int i = 0; i < m; ++i) {
                const bool in = (p[i] >= low) & (p[i] < high) & (h[i] == 0);
                const float d = in ? p[i] - pivot : 0;
                sum += d;
                squares += d * d;
                places += in ? static_cast<float>(i) : 0;
                count += in ? 1 : 0;
            }
        } else {
            for (int i = 0; i < m; ++i) {
                const bool in = (p[i] >= low) & (p[i] < high);
                const float d = in ? p[i] - pivot : 0;
                sum += d;
                squares += d * d;
                places += in ? static_cast<float>(i) : 0;
                count += in ? 1 : 0;
            }
        }
        out.count += count;
        out.sum += static_cast<double>(sum);
        out.squares += static_cast<double>(squares);
        out.places += static_cast<double>(places) + static_cast<double>(from) * count;
    }
    return out;
}

} // namespace caelumen::rows
