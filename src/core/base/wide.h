#pragma once

/// Before a function: compiled for several instruction sets, of which the fastest that the machine has is chosen when the program starts. Sanitizers and
/// dispatch by instruction set do not mix.
#if defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__) && defined(__GNUC__) && !defined(__clang__)
#define CAELUMEN_FAST __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define CAELUMEN_FAST
#endif
