#pragma once

#include "core/image/plane_scan.h"
#include "core/stars/background_mesh.h"
#include "core/stars/defects.h"

#include <vector>

namespace caelumen {

/// Bright pixels x0 <= x < x1 of one row.
struct BrightRun {
    int y, x0, x1;
    friend bool operator==(const BrightRun&, const BrightRun&) = default;
};

/// All runs of pixels whose 3x3 mean stands `threshold` sigmas above the sky, row by row; none where the sky has no noise to tell them by.
std::vector<BrightRun> brightRuns(const Plane& plane, const SmoothSky& sky, double threshold);

/// What is seen of a plane while its rows pass by once.
struct FirstLook {
    Defects defects;
    BlockMaxima maxima;            ///< of what stays; a block without anything eight sigmas above the sky has none
    std::vector<BrightRun> bright; ///< at the threshold that was asked for, without defects
};

/// Looks a plane over and turns its defects into NaN: light in one pixel alone (hot pixels, small cosmic-ray hits), and pixels eight sigmas below the sky (dead
/// ones, whole columns of them). Of what the extremes of stretches of rows, where these are known, leave nothing to find in no pixel is looked at.
FirstLook lookOver(Plane& plane, const SmoothSky& sky, double threshold, const RowExtremes& known = {});

} // namespace caelumen
