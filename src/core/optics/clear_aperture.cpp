#include "core/optics/clear_aperture.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace caelumen {
namespace {

double chiefRay_mm(const FilterPlace& p, double field_mm) {
    return p.focalLength_mm > 0 ? field_mm * (1 - p.distance_mm / p.focalLength_mm) : field_mm;
}
double coneRadius_mm(const FilterPlace& p) {
    return p.distance_mm / (2 * p.fRatio);
}

/// Area that two circles share, their centres `apart`.
double sharedArea(double a, double b, double apart) {
    if (a <= 0 || b <= 0 || apart >= a + b) return 0;
    const double small = std::min(a, b);
    if (apart <= std::abs(a - b)) return std::numbers::pi * small * small;
    const double d1 = (apart * apart + a * a - b * b) / (2 * apart), d2 = apart - d1;
    const auto part = [](double radius, double d) {
        return radius * radius * std::acos(std::clamp(d / radius, -1.0, 1.0)) - d * std::sqrt(std::max(0.0, radius * radius - d * d));
    };
    return part(a, d1) + part(b, d2);
}

} // namespace

double neededAperture_mm(const FilterPlace& p, double field_mm) {
    return 2 * (std::abs(chiefRay_mm(p, field_mm)) + coneRadius_mm(p));
}

double passedByAperture(const FilterPlace& p, double field_mm, double clear_mm) {
    const double at = std::abs(chiefRay_mm(p, field_mm)), clear = clear_mm / 2, rim = coneRadius_mm(p), hole = rim * p.obstruction;
    if (rim <= 0) return at <= clear ? 1 : 0;
    return (sharedArea(rim, clear, at) - sharedArea(hole, clear, at)) / (std::numbers::pi * (rim * rim - hole * hole));
}

} // namespace caelumen
