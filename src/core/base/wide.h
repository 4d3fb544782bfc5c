#pragma once

/// Before a function: compiled for several instruction sets, of which the fastest that the machine has is chosen when the program starts. Sanitizers and
/// dispatch by instruction set do not mix.
#if defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__) && defined(__GNUC__) && !defined(__clang__)
#define CAELUMEN_FAST __attribute__((target_clones("avx512f", "avx2", "default")))
#define CAELUMEN_WIDEST __attribute__((target("avx512f,avx512bw,avx512dq,avx512vl")))
#else
#define CAELUMEN_FAST
#endif

namespace caelumen::rows {

/// Whether loops that have a version for the widest registers of all take it: where the machine has them, unless somebody wants to compare.
bool takesWidest();
void takeWidest(bool wanted);

} // namespace caelumen::rows

/// A function whose body is a template by the number of floats in a register, name##With, for the widest registers and for the others.
#ifdef CAELUMEN_WIDEST
#define CAELUMEN_BY_WIDTH(type, name, parameters, arguments)                                                                                                   \
    CAELUMEN_WIDEST static type name##Widest parameters {                                                                                                      \
        return name##With<16> arguments;                                                                                                                       \
    }                                                                                                                                                          \
    CAELUMEN_FAST static type name##Wide parameters {                                                                                                          \
        return name##With<8> arguments;                                                                                                                        \
    }                                                                                                                                                          \
    type name parameters {                                                                                                                                     \
        return takesWidest() ? name##Widest arguments : name##Wide arguments;                                                                                  \
    }
#else
#define CAELUMEN_BY_WIDTH(type, name, parameters, arguments)                                                                                                   \
    type name parameters {                                                                                                                                     \
        return name##With<8> arguments;                                                                                                                        \
    }
#endif
