#pragma once

#include "core/grid/light.h"
#include "core/sky/ephemeris.h"

namespace caelumen {

/// A moon above the horizon.
struct GridMoon {
    double illuminated = 0.5, altitude_deg = 45, separation_deg = 60; ///< part lit; separation from the target
    friend bool operator==(const GridMoon&, const GridMoon&) = default;
};

/// A sky that a filter could stand under.
struct GridSky {
    double zenith_mag = 21; ///< V mag per square arcsecond without the moon
    std::optional<int> bortle;
    std::optional<GridMoon> moon; ///< none: it is down
    double altitude_deg = 60;     ///< of the target
    friend bool operator==(const GridSky&, const GridSky&) = default;
};

/// The class's centre, or a reading with the class that it comes closest to.
GridSky skyOfClass(int bortle, std::optional<GridMoon> moon, double altitude_deg = 60);
GridSky skyOfReading(double zenith_mag, std::optional<GridMoon> moon, double altitude_deg = 60);

/// Phase angle (degrees) of a moon whose disc is lit to that part.
double phaseAngleOf(double illuminated);

/// The sky that a run saw; nothing where its target was below the horizon, or is not known while the moon was up. Without moon a target that is not known
/// counts as 60 degrees high.
std::optional<GridSky> skyOfMoment(const SkyMoment& moment, double zenith_mag, std::optional<int> bortle);

/// Its light in the target's direction, nL: `lamps` altogether. No light domes.
SkyLight lightOf(const GridSky& sky);

/// Electrons per second and pixel by source, optics clear. `shares`: of the lamps.
std::array<double, kSkySources> backgroundParts(const GridChannel& channel, const GridSky& sky, const std::array<double, kLamps>& shares, const PlanRig& rig);

} // namespace caelumen
