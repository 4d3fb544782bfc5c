#pragma once

#include "core/optics/passband.h"

namespace caelumen {

/// The cone of light in which a filter stands.
struct LightCone {
    double fRatio = 5;           ///< focal length over aperture
    double obstruction = 0;      ///< of the pupil, ratio of diameters
    double effectiveIndex = 1.8; ///< of the coating, 1.4 to 2.2
    double tilt_deg = 0;         ///< of the chief ray against the filter's normal
};

/// How the rays of a cone shift a curve: a ray at angle t sees it moved to shorter wavelength, lambda' = lambda sqrt(1 - (sin t / n_eff)^2)
/// (Lissberger & Wilcock 1959, JOSA 49, 126). Nodes of equal pupil area, uniform in tan^2 t from the obstruction to the rim; a tilted chief ray
/// moves the pupil off the normal.
class ConeShift {
public:
    explicit ConeShift(const LightCone& cone);
    /// Transmission of the cone at one wavelength. Beyond its ends the curve counts as it is there.
    double transmission(const Curve& curve, double nm) const;
    /// The whole curve as the cone sees it, every `step_nm` and at the curve's own ends.
    Curve apply(const Curve& curve, double step_nm = 0.05) const;
    double meanShift() const; ///< mean of lambda' / lambda

private:
    std::vector<double> m_scales; ///< lambda' / lambda of rays that carry equal light, falling
};

/// A band of the curve and what becomes of it; absent when the cone leaves no band there.
std::optional<Band> bandInCone(const Band& band, const std::vector<Band>& effective, const ConeShift& shift);

/// The f-ratios, from 20 to 1.2, in which a line keeps `part` of the most that it has in any of them (parallel light too): a filter made for fast optics passes
/// its lines only there. Absent where the filter passes less than 1 % of the line in all of them, or next to nothing in parallel light and less than 30 % in
/// any.
struct FastestRatio {
    std::optional<double> fRatio;  ///< the fastest
    std::optional<double> slowest; ///< where slower optics lose more
    double most = 0;               ///< transmission in the best of them; 0 where the filter does not pass the line
    std::string note;              ///< why it is absent, or that the limit of the search was reached
};
FastestRatio fastestRatio(const Curve& curve, EmissionLine line, LightCone cone, double part = 0.9);

} // namespace caelumen
