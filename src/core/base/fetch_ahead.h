#pragma once

#include "core/base/point.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace caelumen {

/// Asks for the values of a row, so that they are near when they are used. Always inline: a compiler takes a function that does nothing else for one without
/// effect.
template<class T>
[[gnu::always_inline]] inline void fetchRow(const T* row, int from, int end) {
    constexpr int kLine = 64 / static_cast<int>(sizeof(T)); // of the cache
    for (int x = from; x < end; x += kLine) __builtin_prefetch(row + x);
    if (end > from + 1) __builtin_prefetch(row + end - 1);
}

/// So far ahead of what walks along the rows of a frame, which follow one another in memory: the processor does not always guess as far.
inline constexpr int kFetchAheadBytes = 2048;

/// The same of what lies that far on.
template<class T>
[[gnu::always_inline]] inline void fetchOn(const T* row, int n) {
    constexpr int kOn = kFetchAheadBytes / static_cast<int>(sizeof(T));
    fetchRow(row, kOn, kOn + n);
}

/// The same of what lies about a place of `width` x `height` values, as far as there are any: places picked all over a frame lie far apart in memory, and
/// waiting for one row after the other takes longer than what is done with them.
template<class T>
[[gnu::always_inline]] inline void fetchAround(const T* data, int width, int height, Point at, int across, int down) {
    if (!(std::abs(at.x) < 1e9 && std::abs(at.y) < 1e9)) return;
    const int cx = static_cast<int>(std::lround(at.x)), cy = static_cast<int>(std::lround(at.y));
    for (int y = std::max(0, cy - down), bottom = std::min(height - 1, cy + down); y <= bottom; ++y)
        fetchRow(data + static_cast<std::ptrdiff_t>(y) * width, std::max(0, cx - across), std::min(width, cx + across + 1));
}
template<class T>
[[gnu::always_inline]] inline void fetchAround(const T* data, int width, int height, Point at, int reach) {
    fetchAround(data, width, height, at, reach, reach);
}

} // namespace caelumen
