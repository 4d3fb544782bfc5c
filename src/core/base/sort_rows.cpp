#include "core/base/sort_rows.h"

#include "core/base/wide.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <limits>
#include <utility>

namespace caelumen::rows {
namespace {

template<int lanes>
struct Whole;
template<>
struct Whole<8> {
    using Ints = std::int32_t __attribute__((vector_size(32)));
    using Words = std::uint32_t __attribute__((vector_size(32)));
};
template<>
struct Whole<16> {
    using Ints = std::int32_t __attribute__((vector_size(64)));
    using Words = std::uint32_t __attribute__((vector_size(64)));
};

/// Numbers in rows of a register each. What lies in a column is sorted first, then two columns at a time become one, four, eight, until all are: the place of a
/// number in the order is its column's times the rows, plus its row.
template<int lanes, int rows>
struct Network {
    using Ints = typename Whole<lanes>::Ints;
    using Words = typename Whole<lanes>::Words;
    using Each = std::make_index_sequence<lanes>;

    std::array<Ints, rows> v;

    __attribute__((always_inline)) void sort() {
        sortColumns();
        join<1>();
        lineUp();
    }

    /// Floats in the order of whole numbers, and back: all but the sign of negative ones is turned over.
    __attribute__((always_inline)) static Ints turned(const Ints& x) { return x ^ reinterpret_cast<Ints>(reinterpret_cast<Words>(x >> 31) >> 1); }

    __attribute__((always_inline)) void load(const float* from, int n) {
#pragma GCC unroll 32
        for (int r = 0; r < rows; ++r) {
            std::array<std::int32_t, lanes> row;
            row.fill(std::numeric_limits<std::int32_t>::max()); // is its own turned
            const int here = std::clamp(n - r * lanes, 0, lanes);
            if (here == lanes)
                std::memcpy(row.data(), from + r * lanes, sizeof row);
            else
                std::memcpy(row.data(), from + r * lanes, sizeof(float) * static_cast<std::size_t>(here));
            std::memcpy(&at(r), row.data(), sizeof row);
            at(r) = turned(at(r));
        }
    }
    __attribute__((always_inline)) void store(float* to, int n) const {
#pragma GCC unroll 32
        for (int r = 0; r < rows; ++r) {
            const Ints row = turned(v[static_cast<std::size_t>(r)]);
            const int here = std::clamp(n - r * lanes, 0, lanes);
            if (here == lanes)
                std::memcpy(to + r * lanes, &row, sizeof row);
            else
                std::memcpy(to + r * lanes, &row, sizeof(float) * static_cast<std::size_t>(here));
        }
    }

private:
    __attribute__((always_inline)) Ints& at(int r) {
        return v[static_cast<std::size_t>(r)];
    }
    __attribute__((always_inline)) static Ints smaller(const Ints& a, const Ints& b) {
        return a < b ? a : b;
    }
    __attribute__((always_inline)) static Ints larger(const Ints& a, const Ints& b) {
        return a > b ? a : b;
    }
    __attribute__((always_inline)) static void order(Ints& a, Ints& b) {
        const Ints less = smaller(a, b);
        b = larger(a, b);
        a = less;
    }

    /// The lanes whose numbers differ by these bits change places.
    template<int bits>
    __attribute__((always_inline)) static Ints crossed(const Ints& a) {
        return [&]<std::size_t... i>(std::index_sequence<i...>) __attribute__((always_inline)) {
            return __builtin_shufflevector(a, a, (static_cast<int>(i) ^ bits)...);
        }
        (Each());
    }
    /// The lanes without the bit of one, and those with it of another.
    template<int bit>
    __attribute__((always_inline)) static Ints mixed(const Ints& without, const Ints& with) {
        return [&]<std::size_t... i>(std::index_sequence<i...>) __attribute__((always_inline)) {
            return __builtin_shufflevector(without, with, (static_cast<int>(i) + ((static_cast<int>(i) & bit) != 0 ? lanes : 0))...);
        }
        (Each());
    }
    /// One of each in turn, from a lane on.
    template<int from>
    __attribute__((always_inline)) static Ints inTurn(const Ints& a, const Ints& b) {
        return [&]<std::size_t... i>(std::index_sequence<i...>) __attribute__((always_inline)) {
            return __builtin_shufflevector(a, b, (from + static_cast<int>(i) / 2 + static_cast<int>(i) % 2 * lanes)...);
        }
        (Each());
    }

    __attribute__((always_inline)) void sortColumns() {
#pragma GCC unroll 32
        for (int sorted = 1; sorted < rows; sorted *= 2) {
#pragma GCC unroll 32
            for (int r = 0; r < rows; ++r)
                if ((r & sorted) == 0) order(at(r), at(r ^ (2 * sorted - 1))); // the second half from its end on
            betweenRows(sorted / 2);
        }
    }
    __attribute__((always_inline)) void betweenRows(int most) {
#pragma GCC unroll 32
        for (int k = most; k >= 1; k /= 2)
#pragma GCC unroll 32
            for (int r = 0; r < rows - k; ++r)
                if ((r & k) == 0) order(at(r), at(r + k));
    }

    /// Columns that are sorted in groups of so many become sorted in groups of twice as many, and so on.
    template<int columns>
    __attribute__((always_inline)) void join() {
        if constexpr (columns < lanes) {
            constexpr int kMirrored = 2 * columns - 1;
#pragma GCC unroll 16
            for (int r = 0; r < rows / 2; ++r) {
                Ints &a = at(r), &b = at(rows - 1 - r);
                const Ints other = crossed<kMirrored>(b), less = smaller(a, other), more = larger(a, other);
                a = mixed<columns>(less, more);
                b = crossed<kMirrored>(mixed<columns>(more, less));
            }
            betweenColumns<columns / 2>();
            betweenRows(rows / 2);
            join<2 * columns>();
        }
    }
    template<int columns>
    __attribute__((always_inline)) void betweenColumns() {
        if constexpr (columns >= 1) {
#pragma GCC unroll 32
            for (Ints& a : v) {
                const Ints other = crossed<columns>(a);
                a = mixed<columns>(smaller(a, other), larger(a, other));
            }
            betweenColumns<columns / 2>();
        }
    }

    /// Column by column becomes row by row: numbers of the first and the second half in turn, as often as rows can be halved.
    __attribute__((always_inline)) void lineUp() {
#pragma GCC unroll 32
        for (int k = 1; k < rows; k *= 2) {
            const std::array<Ints, rows> before = v;
            const Ints *const first = before.data(), *const second = first + rows / 2;
#pragma GCC unroll 16
            for (int r = 0; r < rows / 2; ++r) {
                at(2 * r) = inTurn<0>(first[r], second[r]);
                at(2 * r + 1) = inTurn<lanes / 2>(first[r], second[r]);
            }
        }
    }
};

template<int lanes, int rows>
__attribute__((always_inline)) inline void sortIn(float* v, std::size_t n) {
    Network<lanes, rows> network;
    network.load(v, static_cast<int>(n));
    network.sort();
    network.store(v, static_cast<int>(n));
}

template<int lanes>
__attribute__((always_inline)) inline bool sortFewWith(float* v, std::size_t n) {
    if (n <= std::size_t{4} * lanes)
        sortIn<lanes, 4>(v, n);
    else if (n <= std::size_t{8} * lanes)
        sortIn<lanes, 8>(v, n);
    else if (n <= std::size_t{16} * lanes)
        sortIn<lanes, 16>(v, n);
    else if (n <= std::size_t{32} * lanes)
        sortIn<lanes, 32>(v, n);
    else
        return false;
    return true;
}

} // namespace

CAELUMEN_BY_WIDTH(bool, sortFew, (float* v, std::size_t n), (v, n))

} // namespace caelumen::rows
