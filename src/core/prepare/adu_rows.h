#pragma once

#include "core/image/stored_rows.h"

namespace caelumen {

/// Rows of a frame in ADU: floating-point values from 0 to 1, as some programs write them, count as parts of `fullScale`. `scaled` tells whether they were.
Result<StoredRows> aduRows(const FrameFile& file, double fullScale, bool* scaled = nullptr);

} // namespace caelumen
