# One interface target that every target of ours links: warnings and sanitizers, nothing else.
add_library(caelumen_options INTERFACE)
target_compile_options(caelumen_options INTERFACE
  -Wall -Wextra -Wconversion -Wshadow -Wnon-virtual-dtor -Woverloaded-virtual -Wnull-dereference -Wdouble-promotion)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # GCC 12 reports false positives of this one inside the standard library when it optimises.
  target_compile_options(caelumen_options INTERFACE -Wno-null-dereference)
endif()
# What nearly every file includes, read once: more than half of a build was spent on reading it again and again.
set(CAELUMEN_PRECOMPILED <algorithm> <array> <cmath> <filesystem> <functional> <map> <optional> <string> <vector> <fmt/format.h>)
if(CAELUMEN_SANITIZE)
  # Null, freed and foreign memory are found by the address sanitizer; looking at every pointer once more took half of the build and a third of the tests. The fuzzers keep
  # all checks.
  target_compile_options(caelumen_options INTERFACE -fsanitize=address,undefined
    -fno-sanitize=null,alignment,object-size,pointer-overflow,vptr,nonnull-attribute,returns-nonnull-attribute -fno-omit-frame-pointer -fno-sanitize-recover=undefined)
  target_link_options(caelumen_options INTERFACE -fsanitize=address,undefined)
endif()
if(CAELUMEN_FUZZ)
  # All of the core is instrumented, so that the fuzzer sees where inputs lead.
  target_compile_options(caelumen_options INTERFACE -fsanitize=fuzzer-no-link,address,undefined -fno-sanitize-recover=undefined)
  target_link_options(caelumen_options INTERFACE -fsanitize=address,undefined)
endif()
