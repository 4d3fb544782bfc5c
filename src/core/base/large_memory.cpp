#include "core/base/large_memory.h"

#include <cstdint>
#include <cstdlib>
#ifdef __GLIBC__
#include <malloc.h>
#endif
#include <new>
#include <sys/mman.h>

namespace caelumen {
namespace {

constexpr std::size_t kPage = std::size_t{2} << 20;
#ifdef __SANITIZE_ADDRESS__
constexpr std::size_t kLarge = SIZE_MAX; // its own memory is what a sanitizer watches
#else
constexpr std::size_t kLarge = kPage;
#endif

std::size_t wholePages(std::size_t bytes) {
    return (bytes + kPage - 1) / kPage * kPage;
}

} // namespace

void* allocateLarge(std::size_t bytes) {
    if (bytes < kLarge) {
        void* memory = std::malloc(bytes);
        if (!memory && bytes > 0) throw std::bad_alloc();
        return memory;
    }
    const std::size_t size = wholePages(bytes);
    if (size < bytes || size > SIZE_MAX - kPage) throw std::bad_alloc();
    void* const mapped = mmap(nullptr, size + kPage, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (mapped == MAP_FAILED) throw std::bad_alloc();
    auto* const begin = static_cast<char*>(mapped);
    const std::size_t before = (kPage - reinterpret_cast<std::uintptr_t>(begin) % kPage) % kPage;
    if (before > 0) munmap(begin, before);
    munmap(begin + before + size, kPage - before);
    madvise(begin + before, size, MADV_HUGEPAGE); // a wish: without it all works as well
    return begin + before;
}

void freeLarge(void* memory, std::size_t bytes) noexcept {
    if (bytes < kLarge)
        std::free(memory);
    else if (memory)
        munmap(memory, wholePages(bytes));
}

void keepFreedMemory() {
#ifdef __GLIBC__
    mallopt(M_MMAP_THRESHOLD, 64 << 20);
    mallopt(M_TRIM_THRESHOLD, 512 << 20);
    mallopt(M_TOP_PAD, 1 << 20);
#endif
}

} // namespace caelumen
