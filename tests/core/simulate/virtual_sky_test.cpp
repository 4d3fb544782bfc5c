#include "core/plan/cells.h"
#include "core/simulate/virtual_sky.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Site siteOf(int bortle) {
    Site s;
    s.latitude_deg = -32.4;
    s.longitude_deg = 21.6;
    s.bortle = bortle;
    return s;
}

NightTrack night(const char* date) {
    return *NightTrack::of({-32.4, 21.6, 0}, date, 250.1, -48.7);
}

/// A seed whose night is clear, or cloudy at some time.
unsigned long long seedOf(const Site& site, const NightTrack& track, bool cloudy, double* when) {
    for (unsigned long long seed = 1;; ++seed) {
        const VirtualSky sky(site, track, seed);
        double most = 0;
        for (double s = 7 * 3600; s < 15 * 3600; s += 300)
            if (sky.clouds(s) > most) most = sky.clouds(s), *when = s;
        if (cloudy ? most > 0.7 : most < 0.01) return seed;
    }
}

} // namespace

class VirtualSkyTest : public QObject {
    Q_OBJECT

private slots:
    void aClearMoonlessNightReadsTheSitesClass() {
        const Site site = siteOf(4);
        const NightTrack track = night("2026-06-15");
        double when = 0;
        const VirtualSky sky(site, track, seedOf(site, track, false, &when));
        double sum = 0;
        int n = 0;
        for (double s = 7 * 3600; s < 15 * 3600; s += 600) sum += *sky.meter(s), ++n;
        QVERIFY2(std::abs(sum / n - bortleBrightness(4)) < 0.03, qPrintable(QString::number(sum / n)));
        QVERIFY(!sky.meter(600));                             // by day
        QCOMPARE(*sky.meter(9 * 3600), *sky.meter(9 * 3600)); // the same night for the same seed
    }

    void cloudsBrightenTownsAndDarkenTheDark() {
        const NightTrack track = night("2026-06-15");
        for (const auto& [bortle, brighter] : {std::pair{8, true}, {1, false}}) {
            const Site site = siteOf(bortle);
            double when = 0;
            const VirtualSky sky(site, track, seedOf(site, track, true, &when));
            QVERIFY((*sky.meter(when) < bortleBrightness(bortle) - 0.5) == brighter);
            QVERIFY((*sky.meter(when) > bortleBrightness(bortle) + 0.3) == !brighter);
        }
    }

    void theMoonIsSeenByTheMeter() {
        const Site site = siteOf(2);
        const NightTrack track = night("2026-06-29"); // full
        double when = 0;
        const VirtualSky sky(site, track, seedOf(site, track, false, &when));
        QVERIFY(*sky.meter(12 * 3600) < 19.5);
    }

    void cellsCountWhatWasTested() {
        Trial t;
        t.site = siteOf(5);
        Run full, dark, unknown;
        full.id = "A", full.start = "2026-06-29T21:00:00Z";
        dark.id = "B", dark.start = "2026-06-15T21:00:00Z";
        unknown.id = "C";
        t.runs = {full, dark, unknown};
        const SkyCells cells = cellsOf({t});
        QCOMPARE(cells.size(), std::size_t{2});
        QVERIFY(cells.at({5, MoonCell::Full}) == 1 && cells.at({5, MoonCell::Dark}) == 1);
        t.site.sqm = 21.8; // the meter has the last word
        QCOMPARE(*skyClass(t.site), 3);
        QVERIFY(moonCell(0.5, 20) == MoonCell::Half && moonCell(0.99, -1) == MoonCell::Dark);
    }
};

QTEST_APPLESS_MAIN(VirtualSkyTest)
#include "virtual_sky_test.moc"
