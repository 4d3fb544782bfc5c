#pragma once

#include <cstddef>

namespace caelumen {

/// Memory for the pixels of a frame, not filled: in large pages where the system has them, since a frame has tens of thousands of small ones and each costs a
/// fault when it is first touched. Throws std::bad_alloc.
void* allocateLarge(std::size_t bytes);
void freeLarge(void* memory) noexcept;

} // namespace caelumen
