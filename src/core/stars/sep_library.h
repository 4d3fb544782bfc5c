#pragma once

// SEP's header lacks the C linkage that its C library has.
extern "C" {
#include <sep.h>
}
