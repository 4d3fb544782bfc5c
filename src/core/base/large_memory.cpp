#include "core/base/large_memory.h"

#include <cstdlib>
#include <new>
#include <sys/mman.h>

namespace caelumen {

void* allocateLarge(std::size_t bytes) {
    constexpr std::size_t kPage = std::size_t{2} << 20;
    const bool large = bytes >= 4 * kPage;
    void* memory = large ? std::aligned_alloc(kPage, (bytes + kPage - 1) / kPage * kPage) : std::malloc(bytes);
    if (!memory && bytes > 0) throw std::bad_alloc();
    if (large) madvise(memory, bytes / kPage * kPage, MADV_HUGEPAGE); // a wish: without it all works as well
    return memory;
}

void freeLarge(void* memory) noexcept {
    std::free(memory);
}

} // namespace caelumen
