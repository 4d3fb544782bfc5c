#pragma once

#include "app/night/night_model.h"

namespace caelumen {

/// What the night proves, how its filters share it, how long subs should be and what it costs, as rich text. `print`: black on white, with the blocks in a
/// table.
QString nightPage(const NightModel& model, bool print = false);

} // namespace caelumen
