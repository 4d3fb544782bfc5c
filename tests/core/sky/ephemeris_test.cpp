#include "core/sky/ephemeris.h"

#include <QTest>

#include <algorithm>
#include <cmath>

using namespace caelumen;

namespace {

struct Known {
    double latitude, longitude, elevation;
    const char* time;
    double ra, dec, sunAlt, sunAz, moonAlt, moonAz, illuminated, targetAlt, targetAz;
};

/// From an independent ephemeris (python3-ephem 4.1, pressure 0).
constexpr Known kKnown[] = {
    {-34.2, 22.1, 20, "2026-06-29T18:40:00Z", 250.1, -48.7, -37.977, 274.221, 41.069, 98.164, 0.9983, 63.094, 132.041},
    {51.5, -0.1, 50, "2026-01-03T22:00:00Z", 83.8, -5.4, -52.499, 308.160, 50.062, 115.757, 0.9952, 32.384, 167.369},
    {0, 100, 0, "2030-07-15T12:30:00Z", 180, 20, -14.859, 292.241, 9.137, 107.170, 0.9964, 45.653, 299.034},
    {69.6, 18.9, 10, "2026-06-21T23:30:00Z", 10.7, 41.3, 3.366, 10.027, -7.523, 279.635, 0.5100, 38.512, 73.331},
    {-77.8, 166.7, 30, "1999-12-25T03:00:00Z", 161, -59.9, 33.581, 324.541, -31.901, 184.406, 0.9179, 49.459, 207.055},
};

double apart(double a, double b) {
    return std::abs(std::remainder(a - b, 360.0));
}

} // namespace

class EphemerisTest : public QObject {
    Q_OBJECT

private slots:
    /// From altitudes and azimuths alone, the way between two places has the position angle that their equatorial places have (to the degree that precession
    /// turns north).
    void waysAlongTheSkyKeepTheirPositionAngle() {
        constexpr double kDegree = M_PI / 180;
        for (const Known& k : kKnown) {
            const auto time = parseTime(k.time);
            const Observer here{k.latitude, k.longitude, k.elevation};
            for (const auto& [dra, ddec] : {std::pair{3.0, 1.0}, {-4.0, 2.0}, {1.0, -6.0}, {-20.0, -10.0}, {40.0, 15.0}}) {
                const double ra = k.ra + dra, dec = std::clamp(k.dec + ddec, -89.0, 89.0);
                const auto from = skyAt(here, *time, k.ra, k.dec).target, to = skyAt(here, *time, ra, dec).target;
                const double turn = (ra - k.ra) * kDegree, d1 = k.dec * kDegree, d2 = dec * kDegree;
                const double truth =
                    std::atan2(std::sin(turn) * std::cos(d2), std::sin(d2) * std::cos(d1) - std::cos(d2) * std::sin(d1) * std::cos(turn)) / kDegree;
                const double got = positionAngleTowards(*from, *to, k.latitude);
                QVERIFY2(got >= 0 && got < 360 && apart(got, truth) < 0.6, qPrintable(QString("%1: %2, expected %3").arg(k.time).arg(got).arg(truth)));
            }
        }
    }

    void agreesWithAnIndependentEphemeris() {
        for (const Known& k : kKnown) {
            const auto time = parseTime(k.time);
            QVERIFY(time.ok());
            const SkyMoment s = skyAt({k.latitude, k.longitude, k.elevation}, *time, k.ra, k.dec);
            const auto close = [&](double a, double b, double limit, const char* what) {
                QVERIFY2(apart(a, b) < limit, qPrintable(QString("%1 %2: %3, expected %4").arg(k.time, what).arg(a).arg(b)));
            };
            close(s.sun.alt_deg, k.sunAlt, 0.03, "sun alt");
            close(s.sun.az_deg, k.sunAz, 0.05, "sun az");
            close(s.moon.alt_deg, k.moonAlt, 0.03, "moon alt");
            close(s.moon.az_deg, k.moonAz, 0.05, "moon az");
            close(s.target->alt_deg, k.targetAlt, 0.03, "target alt");
            close(s.target->az_deg, k.targetAz, 0.05, "target az");
            QVERIFY2(std::abs(s.moonIlluminated - k.illuminated) < 0.003, qPrintable(QString::number(s.moonIlluminated)));
        }
    }

    void airmassIsOneOverheadAndAbsentBelow() {
        const auto time = parseTime("2026-06-29T18:40:00Z");
        // The place overhead: declination the latitude, right ascension by trial.
        double best = 9;
        for (double ra = 0; ra < 360; ra += 0.25)
            if (const auto x = skyAt({-34, 22, 0}, *time, ra, -34).airmass) best = std::min(best, *x);
        QVERIFY(std::abs(best - 1) < 0.001);
        QVERIFY(!skyAt({-34, 22, 0}, *time, 250, 80).airmass);
    }

    void waxingBeforeFullAndWaningAfter() {
        QVERIFY(skyAt({0, 0, 0}, *parseTime("2026-06-22T00:00:00Z"), {}, {}).moonWaxing);
        QVERIFY(!skyAt({0, 0, 0}, *parseTime("2026-07-06T00:00:00Z"), {}, {}).moonWaxing);
    }

    void timesThatAreNoneAreRefused() {
        for (const char* bad : {"", "yesterday", "2026-13-01T00:00:00Z", "2026-06-20", "1850-01-01T00:00:00Z", "2300-01-01T00:00:00Z"})
            QVERIFY2(!parseTime(bad).ok(), bad);
        QVERIFY(parseTime("2026-06-20T18:05:00").ok());
        QVERIFY(parseTime("2026-06-20T18:05:30.25Z").ok());
    }

    void secondsAdd() {
        const auto a = parseTime("2026-06-20T18:05:00Z"), b = parseTime("2026-06-20T19:05:00Z");
        const JulianDate c = a->plusSeconds(3600);
        QVERIFY(std::abs(c.day + c.fraction - b->day - b->fraction) < 1e-9);
    }
};

QTEST_GUILESS_MAIN(EphemerisTest)
#include "ephemeris_test.moc"
