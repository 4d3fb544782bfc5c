#pragma once

namespace caelumen {

/// Where a filter stands in the converging light.
struct FilterPlace {
    double distance_mm = 0;    ///< to the sensor
    double fRatio = 5;         ///< focal length over aperture
    double obstruction = 0;    ///< of the pupil, ratio of diameters
    double focalLength_mm = 0; ///< the pupil is taken to lie this far from the sensor; 0: at infinity
};

/// The clear diameter, mm, through which a point of the sensor this far from the axis keeps its whole cone: that of the cone where the filter stands, twice
/// around the chief ray.
double neededAperture_mm(const FilterPlace& place, double field_mm);

/// Part (0..1) of the light of a point of the sensor `field_mm` from the axis that passes a round filter of this clear diameter: the overlap of the cone's ring
/// with the filter.
double passedByAperture(const FilterPlace& place, double field_mm, double clear_mm);

} // namespace caelumen
