#include "core/base/spare_processors.h"

#include <tbb/task_arena.h>

#include <algorithm>

namespace caelumen {

void onSpareProcessors(const std::function<void()>& work) {
    static tbb::task_arena hands(std::max(1, tbb::this_task_arena::max_concurrency() - 1));
    hands.execute(work);
}

} // namespace caelumen
