#include "core/base/wide.h"

#include <atomic>

namespace caelumen::rows {
namespace {

bool canTakeWidest() {
#ifdef CAELUMEN_WIDEST
    return __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512vl");
#else
    return false;
#endif
}

std::atomic<bool> widest = canTakeWidest();

} // namespace

bool takesWidest() {
    return widest.load(std::memory_order_relaxed);
}

void takeWidest(bool wanted) {
    widest = wanted && canTakeWidest();
}

} // namespace caelumen::rows
