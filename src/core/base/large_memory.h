#pragma once

#include <cstddef>

namespace caelumen {

/// Memory for the pixels of a frame, not filled: in large pages where the system has them, since a frame has tens of thousands of small ones and each costs a
/// fault when it is first touched; and given back to the system at once, where much of it would leave holes that nothing else fits into. Throws std::bad_alloc.
void* allocateLarge(std::size_t bytes);
void freeLarge(void* memory, std::size_t bytes) noexcept;

/// From now on the program keeps what it frees of less than that for itself, where the system would take it back and clear it at each new use: for programs
/// that do one thing and end.
void keepFreedMemory();

} // namespace caelumen
