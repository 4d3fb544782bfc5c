#pragma once

#include <cstddef>

/// Compiled for several instruction sets as the loops of pixel_rows.h are, with the same result on any of them.
namespace caelumen::rows {

/// Sorts a few numbers by a network that compares the same places whatever they hold, so that nothing is guessed (Batcher 1968, Sorting networks and their
/// applications): -0 before 0, and what is no number at the ends by its sign. False, and nothing done, where there are more than a network is written for: 256,
/// or 512 where the machine has the widest registers.
bool sortFew(float* v, std::size_t n);

} // namespace caelumen::rows
