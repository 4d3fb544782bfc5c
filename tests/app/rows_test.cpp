#include "app/bench/rows.h"

#include <QTest>

using namespace caelumen;

namespace {

Trial twoRuns() {
    Trial t;
    t.site.latitude_deg = -33;
    t.filters = {{"open", "No filter", "none", "", std::nullopt, false}, {"duo", "Twinline", "dual-band", "", std::nullopt, true}};
    t.runs.resize(2);
    t.runs[0].id = "A";
    t.runs[0].filter = "open";
    t.runs[0].baseline = true;
    t.runs[1].id = "B";
    t.runs[1].filter = "duo";
    t.runs[1].note = "swapped in a hurry";
    return t;
}

TrialResults someResults() {
    TrialResults r;
    r.baseline = "A";
    r.conditions.resize(2);
    r.conditions[0].run = "A";
    r.conditions[1].run = "B";
    r.conditions[1].total_s = 1800;
    r.conditions[1].sky = SkyMoment{};
    r.conditions[1].sky->moon.alt_deg = 25;
    r.conditions[1].sky->moonIlluminated = 0.4;
    r.measurements = {{"B", "duo", "R", "time_ratio", "N1", 5.5, 0.5, {}, true, {}},
                      {"B", "duo", "G", "halo_depth", "H1", 18.2, 0.4, {"upper-limit"}, true, {}}};
    r.absent = {{"B", "B-R", "colour_slope", "", "fewer than 8 matched stars"}};
    return r;
}

} // namespace

class RowsTest : public QObject {
    Q_OBJECT

private slots:
    void lanesTellWhatIsKnown() {
        const Trial t = twoRuns();
        const auto before = laneEntries(t, nullptr);
        QCOMPARE(before.size(), std::size_t{2});
        QVERIFY(before[0].baseline && !before[1].baseline);
        QVERIFY(before[1].guessed && !before[0].guessed);
        QVERIFY(before[0].south);
        const TrialResults r = someResults();
        const auto after = laneEntries(t, &r);
        QCOMPARE(after[1].conditionsShort, QString::fromUtf8("40% at 25\u00B0 \u00B7 30 min"));
        QVERIFY(after[1].conditions.contains("hurry"));
        QCOMPARE(after[1].kind, QString("dual-band"));
        QVERIFY(after[0].style.shape != after[1].style.shape);
    }

    void aRefusedRunSaysWhy() {
        TrialResults r = someResults();
        r.absent.push_back({"B", "", "background", "", "the stars do not match"});
        const Trial t = twoRuns();
        QCOMPARE(laneEntries(t, &r)[1].problem, QString("the stars do not match"));
    }

    void scoresShowValuesLimitsAndReasons() {
        const Trial t = twoRuns();
        const TrialResults r = someResults();
        const auto nebula = scoreRows(t, &r, scores()[0], "N1");
        QCOMPARE(nebula[0].text, QString("baseline"));
        QVERIFY(!nebula[0].value && nebula[1].value == 5.5);
        const auto halo = scoreRows(t, &r, scores()[2], "H1");
        QVERIFY(!scoreRows(t, &r, scores()[2], "H2")[1].value); // another star's limit is its own
        QVERIFY(halo[1].limit);
        QCOMPARE(halo[1].text, QString("> 18.2"));
        const auto colour = scoreRows(t, &r, scores()[3], "N1");
        QCOMPARE(colour[1].text, QString("absent"));
        QVERIFY(colour[1].tip.contains("fewer than 8"));
        QVERIFY(!scoreRows(t, nullptr, scores()[0], "N1")[1].value);
    }

    void unfairRowsAreMarked() {
        TrialResults r = someResults();
        r.fairness = {{"B", "haze", Grade::Voids, {"time_ratio"}, "fog", false}};
        const Trial t = twoRuns();
        const auto rows = scoreRows(t, &r, scores()[0], "N1");
        QVERIFY(rows[1].unfair && rows[1].tip.contains("fog"));
        QVERIFY(!scoreRows(t, &r, scores()[2], "N1")[1].unfair);
    }

    void tiedRowsSaySo() {
        TrialResults r = someResults();
        const Trial t = twoRuns();
        r.ranking = {{"time_ratio", "N1", {{"B", 5.5, 0.5, 1}, {"C", 5.1, 0.5, 1}}, {{"B", "C", false, 60}}}};
        const auto rows = scoreRows(t, &r, scores()[0], "N1");
        QVERIFY(rows[1].tied && rows[1].tip.contains("run C") && rows[1].tip.contains("60"));
        r.ranking[0].pairs[0].separated = true;
        QVERIFY(!scoreRows(t, &r, scores()[0], "N1")[1].tied);
    }

    void theTableHasARowForEachRun() {
        const Trial t = twoRuns();
        const TrialResults r = someResults();
        const QStringList lines = scoreTable(t, &r, "N1").trimmed().split('\n');
        QCOMPARE(lines.size(), 3);
        QCOMPARE(lines[0].count('\t'), 6);
        QVERIFY(lines[2].startsWith("B\tTwinline\t5.5"));
    }
};

QTEST_GUILESS_MAIN(RowsTest)
#include "rows_test.moc"
