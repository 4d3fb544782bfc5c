#include "core/grid/sky.h"

#include "core/plan/cells.h"
#include "core/sky/moonlight.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

GridSky skyOfClass(int bortle, std::optional<GridMoon> moon, double altitude_deg) {
    return {bortleBrightness(bortle), bortle, moon, altitude_deg};
}

GridSky skyOfReading(double zenith_mag, std::optional<GridMoon> moon, double altitude_deg) {
    Site site;
    site.sqm = zenith_mag;
    return {zenith_mag, skyClass(site), moon, altitude_deg};
}

double phaseAngleOf(double illuminated) {
    return std::acos(std::clamp(2 * illuminated - 1, -1.0, 1.0)) * 180 / M_PI;
}

std::optional<GridSky> skyOfMoment(const SkyMoment& m, double zenith_mag, std::optional<int> bortle) {
    const bool up = m.moon.alt_deg > 0;
    if (m.target ? m.target->alt_deg <= 0 : up) return std::nullopt;
    GridSky out{zenith_mag, bortle, std::nullopt, m.target ? m.target->alt_deg : 60};
    if (up) out.moon = {m.moonIlluminated, m.moon.alt_deg, m.moonSeparation_deg.value_or(90)};
    return out;
}

SkyLight lightOf(const GridSky& sky) {
    Site site;
    site.sqm = sky.zenith_mag;
    SkyMoment m;
    m.target = Horizontal{std::clamp(sky.altitude_deg, 1.0, 90.0), 0};
    m.moon.alt_deg = -30;
    m.moonPhaseAngle_deg = 180;
    if (sky.moon) {
        m.moon.alt_deg = sky.moon->altitude_deg;
        m.moonPhaseAngle_deg = phaseAngleOf(sky.moon->illuminated);
        m.moonSeparation_deg = sky.moon->separation_deg;
    }
    return skyLight(site, m).value_or(SkyLight{});
}

std::array<double, kSkySources> backgroundParts(const GridChannel& c, const GridSky& sky, const std::array<double, kLamps>& shares, const PlanRig& rig) {
    const SkyLight light = lightOf(sky);
    std::array<double, kSkySources> out{};
    for (std::size_t k = 0; k < kSkySources; ++k) {
        const double nL = k < kLamps ? light.lamps * shares[k] : k == static_cast<std::size_t>(SkySource::Natural) ? light.natural : light.moon;
        if (nL > 0) out[k] = skyElectrons(c.sky[k], magnitudeOf(nL), rig.aperture_mm, rig.obstruction, rig.scale_arcsec());
    }
    return out;
}

} // namespace caelumen
