#include "core/base/json.h"
#include "core/log/comparison.h"
#include "core/log/log_query.h"

#include <QTest>

using namespace caelumen;

class LogTest : public QObject {
    Q_OBJECT

    static Trial trial() {
        Trial t;
        t.title = "Ridge garden";
        t.site.name = "Ridge", t.site.latitude_deg = -31.9, t.site.longitude_deg = 20.7, t.site.bortle = 4;
        t.target = {"NGC 6188", 250.0, -48.6};
        t.rig.name = "Small refractor";
        t.filters = {{"open", "No filter", "none", "", {}}, {"duo7", "Duo 7", "dual-band", "", {}}};
        Run a, b;
        a.id = "A", a.filter = "open", a.baseline = true, a.stack = "/x/a.fits", a.sub_exposure_s = 180, a.sub_count = 20, a.start = "2026-06-20T18:05:00Z";
        b.id = "B", b.filter = "duo7", b.stack = "/x/b.fits", b.start = "2026-06-21T01:20:00Z";
        t.runs = {a, b};
        return t;
    }

private slots:
    void runsOfATrialBecomeEntries() {
        TrialResults r;
        r.measurements = {{"B", "duo7", "R", "time_ratio", "n1", 6.1, 0.4, {}, true, ""},
                          {"B", "duo7", "G", "time_ratio", "n1", 2, 0.4, {}, false, ""},
                          {"B", "duo7", "R", "halo_clean_mag", "", 5, 0.1, {"upper-limit"}, true, ""}};
        r.fairness = {{"B", "moon", Grade::Voids, {"time_ratio"}, "", false}};
        const auto all = logEntries(trial(), &r, "/club/one.caelumen", 3);
        QCOMPARE(all.size(), std::size_t(2));
        const LogEntry &a = all[0], &b = all[1];
        QVERIFY(a.baseline && a.filter == "No filter" && a.total_s == 3600.0 && a.night == "2026-06-20");
        QCOMPARE(b.night, std::string("2026-06-20")); // after midnight it is still the same night
        Trial west = trial();
        west.site.longitude_deg = -70;
        const std::string evening = logEntries(west, nullptr, "", 1)[1].night;
        west.site.longitude_deg = 290; // the same place, counted round
        QCOMPARE(logEntries(west, nullptr, "", 1)[1].night, evening);
        QVERIFY(!b.total_s && b.figures.size() == 2);
        QVERIFY(b.figure("time_ratio")->channel == "R" && b.figure("time_ratio")->voided);
        QVERIFY(b.figure("halo_clean_mag")->limit && !b.figure("halo_clean_mag")->voided);
        QCOMPARE(a.sky(), std::string("Bortle 4"));
        QVERIFY(!a.moon().empty()); // from place and time, though nothing was measured
        QVERIFY(a.uid != b.uid);
        QVERIFY(logEntries(trial(), nullptr, "/club/one.caelumen", 3)[1].uid == b.uid);
        const auto back = logEntryFromJson(logEntryToJson(b), "x");
        QVERIFY(back.ok() && *back == b);
    }

    void moonsHaveWords() {
        QCOMPARE(moonWord(0.99, 20.0), std::string("full"));
        QCOMPARE(moonWord(0.99, -5.0), std::string("none"));
        QCOMPARE(moonWord(0.5, 20.0), std::string("half"));
        QCOMPARE(moonWord({}, 20.0), std::string());
    }

    void hoursAddUp() {
        std::vector<LogEntry> all;
        for (int i = 0; i < 6; ++i) {
            LogEntry e;
            e.filter = i % 2 ? "Duo" : "Open", e.total_s = 3600.0 * (i + 1), e.night = i < 3 ? "2025-05-01" : "2026-05-01";
            e.moonIlluminated = 1.0, e.moonAltitude_deg = i < 4 ? -10 : 30;
            all.push_back(e);
        }
        all.emplace_back(); // nothing is known of it
        std::vector<const LogEntry*> some;
        for (const LogEntry& e : all) some.push_back(&e);
        const LogHours h = hoursBy(some, LogFacet::Filter, LogFacet::Moon);
        QCOMPARE(h.rows, (std::vector<std::string>{"Duo", "Open", "not known"})); // most hours first
        QCOMPARE(h.columns, (std::vector<std::string>{"none", "full", "not known"}));
        double sum = 0;
        for (const auto& row : h.seconds)
            for (const double s : row) sum += s;
        QCOMPARE(sum, 21 * 3600.0);
        QCOMPARE(h.seconds[0][0], (2 + 4) * 3600.0);
        QCOMPARE(h.seconds[0][1], 6 * 3600.0);
        QCOMPARE(h.runs, (std::vector<int>{3, 3, 1}));
        QVERIFY(h.first[0] == "2025-05-01" && h.last[0] == "2026-05-01" && h.first[2].empty());
        QCOMPARE(hoursBy(some, LogFacet::Year, LogFacet::None).rows, (std::vector<std::string>{"2025", "2026", "not known"}));
    }

    void queriesAreReadAsTyped() {
        const LogQuery q = parseLogQuery("duo filter:\"No filter\" -loan from:2025-03 place: to:now");
        QCOMPARE(q.from, std::string("2025-03"));
        QVERIFY(q.to.empty()); // no date: a word like any other
        QCOMPARE(q.terms.size(), std::size_t(4));
        QVERIFY((q.terms[1] == LogQuery::Term{"filter", "No filter", false}) && q.terms[2].without && q.terms[3].word == "to:now");
        QCOMPARE(matchExpression(q, true), std::string("\"loan\" *"));
        QVERIFY(parseLogQuery(" \t").empty());
        QVERIFY(isWithin(q, "2025-03-01") && !isWithin(q, "2025-02-28") && !isWithin(q, ""));
    }

    void anyTwoRunsBecomeATrial() {
        const Trial now = trial();
        Trial old = trial();
        old.site.name = "Roof", old.site.bortle = 8;
        old.rig.gain_e_per_adu = 0.5;
        old.filters[1].name = "Duo 12"; // another filter that goes by the same id
        std::vector<std::string> cautions;
        const Trial both = comparisonOf(now, "B", old, "B", cautions);
        QCOMPARE(both.runs.size(), std::size_t(2));
        QVERIFY(both.runs[0].baseline && !both.runs[1].baseline && both.runs[0].id != both.runs[1].id);
        QCOMPARE(both.filters.size(), std::size_t(2));
        QVERIFY(both.runs[0].filter != both.runs[1].filter && both.filter(both.runs[1].filter)->name == "Duo 12");
        QVERIFY(!both.runs[0].rig.gain_e_per_adu && both.runs[1].rig.gain_e_per_adu == 0.5);
        QVERIFY(effectiveRig(both, both.runs[1]).gain_e_per_adu == 0.5);
        QVERIFY(cautions.size() == 1 && cautions[0].find("Roof") != std::string::npos);
        QVERIFY(both.title.find("Duo 12") != std::string::npos);
        // The one that was a baseline becomes it.
        cautions.clear();
        const Trial turned = comparisonOf(now, "B", now, "A", cautions);
        QVERIFY(turned.baseline() && turned.filter(turned.baseline()->filter)->kind == "none" && cautions.empty());
        // Beside what is on the Bench.
        Trial more = now;
        old.target = {"LMC", 80.0, -69.0};
        const std::string id = addRunOf(more, old, "A", cautions);
        QVERIFY(more.runs.size() == 3 && id == "C" && !more.run("C")->baseline);
        QCOMPARE(cautions.size(), std::size_t(2)); // another place, another target
        QVERIFY(addRunOf(more, old, "Z", cautions).empty());
    }

    void aStackWithoutFactsIsStillAnEntry() {
        FrameInfo info;
        info.path = "/old/m42-duo-2019.fits";
        const LogEntry e = logEntryOf(info);
        QCOMPARE(e.stack, std::string("/old/m42-duo-2019.fits"));
        QVERIFY(e.night.empty() && e.moon().empty() && e.sky().empty() && !e.total_s);
    }
};

QTEST_APPLESS_MAIN(LogTest)
#include "log_test.moc"
