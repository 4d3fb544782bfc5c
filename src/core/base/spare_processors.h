#pragma once

#include <functional>

namespace caelumen {

/// Does work that is made in parallel on all processors but one (on one where there is no other), so that a window keeps answering meanwhile.
void onSpareProcessors(const std::function<void()>& work);

} // namespace caelumen
