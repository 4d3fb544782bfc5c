#pragma once

#include "core/base/job.h"
#include "core/image/stored_rows.h"
#include "core/prepare/subs.h"

#include <cstdint>

namespace caelumen {

/// How the stored pixels of a sub become sky: dark or bias away, flat divided (or a diffuser frame subtracted), defects filled from their neighbours of the
/// same colour.
struct Calibration {
    std::vector<Plane> dark;           ///< ADU, one for each stored plane; empty: `pedestal` is taken away
    double pedestal = 0;               ///< ADU
    std::vector<Plane> factor;         ///< 1 / flat, normalised for each colour site to the median of its central half; empty: none
    std::vector<Plane> diffuser;       ///< ADU above its own zero, to be subtracted
    std::vector<std::int64_t> defects; ///< stored pixels, sorted: hot in the dark, dead in the flat
    int step = 1;                      ///< to the next pixel of the same colour in a row
    bool zeroKnown = false;            ///< the offset has been taken away
    std::vector<std::string> history;  ///< what was done, a line each
    std::vector<std::string> warnings; ///< what a person should know, in sentences

    /// Rows from y on, in place.
    void apply(int plane, int y, int count, int width, float* rows) const;
};

/// Makes the masters of a recipe for subs like `light`: mean of each kind with outliers rejected, streamed band by band, so that memory does not grow with
/// their number. Darks are taken from the group nearest in gain, exposure and temperature, and the distance is said; flats of another filter, saturated or of
/// another size are left out with a warning.
Result<Calibration> makeCalibration(const SubsRecipe& recipe, const FrameInfo& light, const Job& job = {});

} // namespace caelumen
