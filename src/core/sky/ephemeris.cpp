#include "core/sky/ephemeris.h"

#include "core/base/phrase.h"
#include "core/base/time_text.h"

#include <erfa.h>
#include <erfam.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace caelumen {
namespace {

constexpr double kDegrees = 180 / M_PI;

struct Vec {
    double v[3];
};

double dot(const Vec& a, const Vec& b) {
    return a.v[0] * b.v[0] + a.v[1] * b.v[1] + a.v[2] * b.v[2];
}
double length(const Vec& a) {
    return std::sqrt(dot(a, a));
}
std::pair<double, double> terrestrial(const JulianDate& utc) {
    double tai1 = 0, tai2 = 0, tt1 = 0, tt2 = 0;
    eraUtctai(utc.day, utc.fraction, &tai1, &tai2);
    eraTaitt(tai1, tai2, &tt1, &tt2);
    return {tt1, tt2};
}
double angle(const Vec& a, const Vec& b) {
    return std::acos(std::clamp(dot(a, b) / (length(a) * length(b)), -1.0, 1.0)) * kDegrees;
}

} // namespace

Result<JulianDate> parseTime(const std::string& iso) {
    const auto t = civilTime(iso);
    if (!t) return Error{phrase("\"{}\" is not a time that exists; give UTC as 2026-06-20T18:05:00Z, or with an offset as 2026-06-20T20:05:00+02:00.", iso)};
    if (t->year < 1900 || t->year > 2100) return Error{phrase("the year {} is outside 1900 to 2100, for which sun and moon are known.", t->year)};
    JulianDate out;
    if (eraDtf2d("UTC", t->year, t->month, t->day, t->hour, t->minute, t->seconds(), &out.day, &out.fraction) < 0)
        return Error{phrase("\"{}\" is not a time that exists; give UTC as 2026-06-20T18:05:00Z.", iso)};
    return out;
}

Precession precessionAt(const JulianDate& utc) {
    const auto [tt1, tt2] = terrestrial(utc);
    Precession out{};
    eraPnm06a(tt1, tt2, out.matrix);
    return out;
}

SkyMoment skyAt(const Observer& o, const JulianDate& utc, std::optional<double> ra, std::optional<double> dec) {
    return skyAt(o, utc, ra, dec, precessionAt(utc), bodiesAt(utc));
}

Bodies bodiesAt(const JulianDate& utc) {
    const auto [tt1, tt2] = terrestrial(utc);
    double moonPv[2][3], earthHelio[2][3], earthBary[2][3];
    eraMoon98(tt1, tt2, moonPv);
    eraEpv00(tt1, tt2, earthHelio, earthBary);
    Bodies out{};
    for (int i = 0; i < 3; ++i) {
        out.moon[i] = moonPv[0][i];
        out.sun[i] = -earthHelio[0][i];
    }
    return out;
}

Bodies between(const Bodies& a, const Bodies& b, double part) {
    Bodies out{};
    for (int i = 0; i < 3; ++i) {
        out.moon[i] = a.moon[i] + part * (b.moon[i] - a.moon[i]);
        out.sun[i] = a.sun[i] + part * (b.sun[i] - a.sun[i]);
    }
    return out;
}

SkyMoment skyAt(const Observer& o, const JulianDate& utc, std::optional<double> ra, std::optional<double> dec, const Precession& precession,
                const Bodies& bodies) {
    const auto [tt1, tt2] = terrestrial(utc);
    double c2t[3][3], still[3][3], turn[3][3];
    for (auto& row : still) std::fill(std::begin(row), std::end(row), 0.0);
    for (int i = 0; i < 3; ++i) still[i][i] = 1; // the pole's wandering is far below what is promised
    std::copy(&precession.matrix[0][0], &precession.matrix[0][0] + 9, &turn[0][0]);
    eraC2teqx(turn, eraGst06(utc.day, utc.fraction, tt1, tt2, turn), still, c2t);

    const double phi = o.latitude_deg / kDegrees, lambda = o.longitude_deg / kDegrees;
    double site[3];
    eraGd2gc(1, lambda, phi, o.elevation_m, site);
    double siteCelestial[3];
    eraTrxp(c2t, site, siteCelestial);

    Vec moon{}, sun{};
    for (int i = 0; i < 3; ++i) {
        const double here = siteCelestial[i] / ERFA_DAU;
        moon.v[i] = bodies.moon[i] - here;
        sun.v[i] = bodies.sun[i] - here;
    }
    const auto horizontal = [&](const Vec& celestial) {
        double t[3];
        eraRxp(c2t, const_cast<double*>(celestial.v), t);
        const double east = -std::sin(lambda) * t[0] + std::cos(lambda) * t[1];
        const double north = -std::sin(phi) * std::cos(lambda) * t[0] - std::sin(phi) * std::sin(lambda) * t[1] + std::cos(phi) * t[2];
        const double up = std::cos(phi) * std::cos(lambda) * t[0] + std::cos(phi) * std::sin(lambda) * t[1] + std::sin(phi) * t[2];
        double azimuth = std::atan2(east, north) * kDegrees;
        if (azimuth < 0) azimuth += 360;
        return Horizontal{std::atan2(up, std::hypot(east, north)) * kDegrees, azimuth};
    };

    SkyMoment out;
    out.sun = horizontal(sun);
    out.moon = horizontal(moon);
    out.moonDistance_km = length(moon) * ERFA_DAU / 1000;
    Vec moonToSun{}, moonToHere{};
    for (int i = 0; i < 3; ++i) {
        moonToSun.v[i] = sun.v[i] - moon.v[i];
        moonToHere.v[i] = -moon.v[i];
    }
    out.moonPhaseAngle_deg = angle(moonToSun, moonToHere);
    out.moonIlluminated = (1 + std::cos(out.moonPhaseAngle_deg / kDegrees)) / 2;
    // Waxing while the moon is east of the sun, along the ecliptic.
    const double cross = sun.v[0] * moon.v[1] - sun.v[1] * moon.v[0];
    out.moonWaxing = cross > 0;
    out.twilight = twilightName(out.sun.alt_deg);
    if (ra && dec) {
        Vec target{};
        eraS2c(*ra / kDegrees, *dec / kDegrees, target.v);
        out.target = horizontal(target);
        out.moonSeparation_deg = angle(target, moon);
        out.airmass = airmassAt(out.target->alt_deg);
    }
    return out;
}

double separation_deg(double raA, double decA, double raB, double decB) {
    constexpr double kRad = M_PI / 180;
    const double across = std::sin((raB - raA) * kRad / 2), up = std::sin((decB - decA) * kRad / 2);
    return 2 * std::asin(std::min(1.0, std::sqrt(up * up + std::cos(decA * kRad) * std::cos(decB * kRad) * across * across))) / kRad;
}

std::optional<double> airmassAt(double alt) {
    if (alt <= 0) return std::nullopt;
    return 1 / (std::sin(alt / kDegrees) + 0.50572 * std::pow(alt + 6.07995, -1.6364));
}

std::string twilightName(double h) {
    return h > -0.833 ? "day" : h > -6 ? "civil" : h > -12 ? "nautical" : h > -18 ? "astronomical" : "night";
}

double positionAngleTowards(const Horizontal& from, const Horizontal& to, double latitude_deg) {
    constexpr double kDegree = M_PI / 180;
    const double alt = from.alt_deg * kDegree, az = from.az_deg * kDegree, phi = latitude_deg * kDegree;
    // Where the zenith lies (the parallactic angle), and the way there, clockwise from the zenith as azimuth grows.
    const double zenith = -std::atan2(std::sin(az) * std::cos(phi), std::cos(alt) * std::sin(phi) - std::sin(alt) * std::cos(az) * std::cos(phi));
    const double turn = (to.az_deg - from.az_deg) * kDegree, high = to.alt_deg * kDegree;
    const double way = std::atan2(std::sin(turn) * std::cos(high), std::sin(high) * std::cos(alt) - std::cos(high) * std::sin(alt) * std::cos(turn));
    const double angle = (zenith - way) / kDegree;
    return angle - 360 * std::floor(angle / 360);
}

} // namespace caelumen
