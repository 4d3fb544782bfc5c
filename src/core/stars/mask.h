#pragma once

#include "core/base/fetch_ahead.h"
#include "core/base/flags.h"
#include "core/base/large_memory.h"
#include "core/base/pixel_rows.h"

#include <algorithm>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <new>
#include <utility>
#include <vector>

namespace caelumen {

/// Memory as it is, for vectors that are sized first and filled by several threads.
template<class T>
struct Unfilled : std::allocator<T> {
    template<class U>
    struct rebind {
        using other = Unfilled<U>;
    };
    T* allocate(std::size_t n) { return static_cast<T*>(allocateLarge(n * sizeof(T))); }
    void deallocate(T* memory, std::size_t n) { freeLarge(memory, n * sizeof(T)); }
    template<class U>
    void construct(U* at) {
        ::new (static_cast<void*>(at)) U;
    }
    template<class U, class... Args>
    void construct(U* at, Args&&... args) {
        ::new (static_cast<void*>(at)) U(std::forward<Args>(args)...);
    }
};

/// One bit a pixel of a plane: set where the pixel must not be used. An empty one hides nothing. Rows begin with words of their own, so that several threads
/// can hide pixels, each in its own rows.
class Mask {
public:
    Mask() = default;
    Mask(int width, int height)
        : Mask(unfilled(width, height, {})) {
        show(0, height);
    }
    /// Of whatever the memory holds, that of `spare` where it is large enough: rows are to be shown first.
    static Mask unfilled(int width, int height, Mask&& spare) {
        Mask out = std::move(spare);
        out.m_width = width;
        out.m_height = height;
        out.m_stride = (static_cast<std::size_t>(width) + kWord - 1) / kWord;
        out.m_words.resize(out.m_stride * static_cast<std::size_t>(height) + 1); // Flags may be read on
        return out;
    }

    bool empty() const { return m_words.empty(); }
    int width() const { return m_width; }
    int height() const { return m_height; }
    /// Bits from one row to the next.
    std::int64_t stride() const { return static_cast<std::int64_t>(m_stride * kWord); }
    Flags row(int y) const { return empty() ? Flags{} : Flags{reinterpret_cast<const std::uint8_t*>(m_words.data() + start(y))}; }
    bool hidden(int x, int y) const { return row(y)[x]; }
    /// Whether any of `across` x `down` pixels from a place on is hidden; `across` is at most Flags::kTogether. Rows begin at whole words: their flags lie
    /// alike.
    bool hidesAny(int x, int y, int across, int down) const {
        if (empty()) return false;
        const std::uint8_t* from = row(y).bytes + (x >> 3);
        std::uint64_t any = 0;
        for (int j = 0; j < down; ++j, from += stride() / 8) {
            std::uint64_t here;
            std::memcpy(&here, from, sizeof here);
            any |= here;
        }
        return (any >> (x & 7) & ((std::uint64_t{1} << across) - 1)) != 0;
    }
    /// Asks for what lies about a place, as fetchAround does.
    [[gnu::always_inline]] void fetch(Point at, int reach) const {
        if (!empty())
            fetchAround(reinterpret_cast<const std::uint8_t*>(m_words.data()), static_cast<int>(stride() / 8), m_height, {at.x / 8, at.y}, reach / 8 + 1,
                        reach);
    }

    /// The pixels x0 <= x < x1 of a row.
    void hide(int y, int x0, int x1) {
        if (x0 >= x1) return;
        std::uint64_t* const words = m_words.data() + start(y);
        const auto first = static_cast<std::size_t>(x0), last = static_cast<std::size_t>(x1) - 1, n = last - first + 1;
        if (n <= kWord) { // as most of a star's rows: whether they reach into the next word cannot be guessed
            const std::uint64_t bits = ~std::uint64_t{0} >> (kWord - n), at = first % kWord;
            words[first / kWord] |= bits << at;
            if (first / kWord + 1 < m_stride) words[first / kWord + 1] |= bits >> 1 >> (kWord - 1 - at);
            return;
        }
        words[first / kWord] |= ~std::uint64_t{0} << first % kWord;
        for (std::size_t i = first / kWord + 1; i < last / kWord; ++i) words[i] = ~std::uint64_t{0};
        words[last / kWord] |= ~std::uint64_t{0} >> (kWord - 1 - last % kWord);
    }
    /// Nothing is hidden any more in the rows top <= y < bottom.
    void show(int top, int bottom) { std::fill(m_words.data() + start(top), m_words.data() + start(bottom), std::uint64_t{0}); }
    /// How many pixels are hidden in these rows.
    std::int64_t count(int top, int bottom) const {
        return rows::countBits(m_words.data() + start(top), static_cast<std::int64_t>(start(bottom) - start(top)));
    }

private:
    static_assert(std::endian::native == std::endian::little); // bits of words are those of bytes
    static constexpr std::size_t kWord = 64;
    std::size_t start(int y) const { return static_cast<std::size_t>(y) * m_stride; }
    int m_width = 0, m_height = 0;
    std::size_t m_stride = 0; ///< words from one row to the next
    std::vector<std::uint64_t, Unfilled<std::uint64_t>> m_words;
};

} // namespace caelumen
