#pragma once

#include "core/base/result.h"

#include <optional>
#include <string>

namespace caelumen {

struct Observer {
    double latitude_deg = 0, longitude_deg = 0; ///< north and east positive
    double elevation_m = 0;                     ///< above the sea
};

/// Altitude above the horizon without refraction; azimuth from north through east.
struct Horizontal {
    double alt_deg = 0, az_deg = 0; ///< above the horizon; from north through east
};

struct SkyMoment {
    Horizontal sun, moon;
    double moonIlluminated = 0;    ///< 0..1, topocentric
    double moonPhaseAngle_deg = 0; ///< sun - moon - observer: 0 full, 180 new
    double moonDistance_km = 0;    ///< topocentric
    bool moonWaxing = false;
    std::optional<Horizontal> target;
    std::optional<double> airmass; ///< of the target: airmassAt
    std::optional<double> moonSeparation_deg;
    std::string twilight; ///< day, civil, nautical, astronomical or night
};

/// UTC as a two-part Julian date from "2026-06-20T18:05:00Z" (seconds and Z may be missing). Years 1900 to 2100.
struct JulianDate {
    double day = 0, fraction = 0; ///< whole days and the rest, UTC
    JulianDate plusSeconds(double s) const { return {day, fraction + s / 86400}; }
};
Result<JulianDate> parseTime(const std::string& iso);

/// Sun, topocentric moon and (with a position) the target, ICRS degrees. Positions from ERFA (eraMoon98, eraEpv00), UT1 taken as UTC:
/// good to 0.01 degrees. No refraction, no aberration.
SkyMoment skyAt(const Observer& observer, const JulianDate& utc, std::optional<double> ra_deg, std::optional<double> dec_deg);

/// Bias, precession and nutation (IAU 2006/2000A), which change by less than 0.1 arcseconds in a night: worked out once for many moments of it.
struct Precession {
    double matrix[3][3];
};
Precession precessionAt(const JulianDate& utc);
/// Where moon and sun are, seen from the middle of the earth, au, celestial axes.
struct Bodies {
    double moon[3], sun[3];
};
Bodies bodiesAt(const JulianDate& utc);
/// Between two moments: within 0.001 degrees when they are an hour apart.
Bodies between(const Bodies& a, const Bodies& b, double part);

SkyMoment skyAt(const Observer& observer, const JulianDate& utc, std::optional<double> ra_deg, std::optional<double> dec_deg, const Precession& precession,
                const Bodies& bodies);

/// Between two places of a sphere, each by longitude (right ascension) and latitude (declination), degrees.
double separation_deg(double raA_deg, double decA_deg, double raB_deg, double decB_deg);

/// Kasten & Young 1989, Appl. Opt. 28, 4735; absent at and below the horizon.
std::optional<double> airmassAt(double alt_deg);
/// day, civil, nautical, astronomical or night.
std::string twilightName(double sunAlt_deg);

/// Position angle (from north through east, 0 to 360 degrees) of the way along the sky from one place to another, both seen at once from a latitude.
double positionAngleTowards(const Horizontal& from, const Horizontal& to, double latitude_deg);

} // namespace caelumen
