#include "core/plan/suggest.h"
#include "core/sky/night_track.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

const Observer kPlateau{-32.4, 21.6, 1450}, kTromso{69.6, 18.9, 10}, kPole{-89.9, 0, 2800};

double flat(double) {
    return 0;
}

NightTrack track(const Observer& here, const char* date, double ra = 250.1, double dec = -48.7) {
    return *NightTrack::of(here, date, ra, dec);
}

} // namespace

class NightTrackTest : public QObject {
    Q_OBJECT

private slots:
    void betweenSamplesItFollowsTheSky() {
        for (const auto& [here, date] : {std::pair{kPlateau, "2026-06-15"}, {kTromso, "1999-01-31"}, {Observer{0.1, -78, 2800}, "2099-12-31"}}) {
            const NightTrack t = track(here, date);
            for (double s = 137; s < NightTrack::kLength; s += 4567) {
                const SkyMoment a = t.at(s), b = skyAt(here, t.start().plusSeconds(s), 250.1, -48.7);
                QVERIFY(std::abs(a.sun.alt_deg - b.sun.alt_deg) < 0.01 && std::abs(a.moon.alt_deg - b.moon.alt_deg) < 0.01 &&
                        std::abs(a.target->alt_deg - b.target->alt_deg) < 0.01);
                const double turn = std::remainder(a.target->az_deg - b.target->az_deg, 360) * std::cos(b.target->alt_deg * M_PI / 180);
                QVERIFY2(std::abs(turn) < 0.02, qPrintable(QString::number(turn)));
                QVERIFY(std::abs(a.moonIlluminated - b.moonIlluminated) < 1e-4 && std::abs(*a.moonSeparation_deg - *b.moonSeparation_deg) < 0.01);
            }
        }
    }

    /// Dusk, dawn, moonrise and culmination from an independent ephemeris (python3-ephem, horizon -18, pressure 0).
    void eventsAgreeWithAnIndependentEphemeris() {
        const NightTrack t = track(kPlateau, "2026-06-15");
        const auto dark = t.sunBelow(-18);
        QVERIFY(dark);
        const auto at = [&](double s) { return isoTime(t.start().plusSeconds(s)); };
        const auto apart = [&](double s, const char* iso) {
            const auto wanted = parseTime(iso);
            const JulianDate got = t.start().plusSeconds(s);
            return std::abs((got.day - wanted->day + got.fraction - wanted->fraction) * 86400);
        };
        QVERIFY2(apart(dark->from, "2026-06-15T17:02:50Z") < 30, at(dark->from).c_str());
        QVERIFY2(apart(dark->to, "2026-06-16T04:05:36Z") < 30, at(dark->to).c_str());
        QVERIFY2(apart(*t.transit(), "2026-06-15T21:39:18Z") < 60, at(*t.transit()).c_str());
    }

    void theFarNorthHasNoNightAndNoDay() {
        QVERIFY(!track(kTromso, "2026-06-21").sunBelow(-6)); // midnight sun
        QVERIFY(track(kTromso, "2026-06-21").sunBelow(12));
        const auto winter = track(kTromso, "2026-12-21").sunBelow(-0.833); // the sun does not rise
        QVERIFY(winter && winter->length() == NightTrack::kLength);
        const auto night = track(kPole, "2026-06-21").sunBelow(-18);
        QVERIFY(night && night->length() == NightTrack::kLength);
    }

    void whatNeverRisesIsNeverUp() {
        QVERIFY(track(kPlateau, "2026-06-15", 37.9, 89.2).targetAbove(0, flat).empty());
        const auto always = track(kPlateau, "2026-06-15", 0, -89).targetAbove(20, flat);
        QCOMPARE(always.size(), std::size_t{1});
        QCOMPARE(always[0].length(), NightTrack::kLength);
        QVERIFY(!track(kPlateau, "2026-06-15", 37.9, 89.2).targetAbove(-60, [](double) { return -90.0; }).empty());
    }

    void theHorizonHidesWhatStandsBehindIt() {
        const NightTrack t = track(kPlateau, "2026-06-15");
        const auto whole = t.targetAbove(30, flat), half = t.targetAbove(30, [](double az) { return az < 180 ? 89.0 : 0.0; }); // a wall in the east
        QCOMPARE(whole.size(), std::size_t{1});
        QCOMPARE(half.size(), std::size_t{1});
        QVERIFY(std::abs(half[0].from - *t.transit()) < 60);
        QCOMPARE(half[0].to, whole[0].to);
    }

    void datesThatAreNoneAreRefused() {
        for (const char* date : {"2026-02-30", "26.6.2026", "1899-12-31", "2101-01-01", "", "2026-06-15x"})
            QVERIFY2(!NightTrack::of(kPlateau, date, 0, 0).ok(), date);
        QCOMPARE(dateAfter("2026-12-31", 1), std::string("2027-01-01"));
        QCOMPARE(dateAfter("2024-03-01", -1), std::string("2024-02-29"));
    }

    void spansOverlap() {
        const auto both = overlap({{0, 10}, {20, 30}}, {{5, 25}});
        QCOMPARE(both.size(), std::size_t{2});
        QVERIFY((both[0] == Span{5, 10}) && (both[1] == Span{20, 25}));
    }
};

QTEST_APPLESS_MAIN(NightTrackTest)
#include "night_track_test.moc"
