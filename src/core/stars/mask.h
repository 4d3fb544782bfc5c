#pragma once

#include "core/base/large_memory.h"

#include <cstddef>
#include <cstdint>
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

/// One byte a pixel of a plane: not zero where the pixel must not be used. Empty means that all may be.
using Mask = std::vector<std::uint8_t, Unfilled<std::uint8_t>>;

/// Row `y` of a mask that is `width` wide; null where all pixels may be used.
inline const std::uint8_t* maskRow(const Mask& mask, int width, int y) {
    return mask.empty() ? nullptr : mask.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(width);
}

} // namespace caelumen
