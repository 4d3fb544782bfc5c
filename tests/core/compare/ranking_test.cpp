#include "core/compare/rank_runs.h"
#include "core/compare/sentences.h"
#include "core/model/results.h"

#include <QTest>

using namespace caelumen;

namespace {

struct Figure {
    const char* run;
    double value, sigma;
};

std::vector<Ranking> ranked(const std::vector<Figure>& figures, const std::vector<Unfairness>& fairness = {}, std::optional<int> subs = 20) {
    Trial t;
    TrialResults r;
    t.regions = {{"n1", RegionRole::Nebula, RegionShape::Circle, {{10, 10}}, 5, "", "", false}};
    for (const Figure& f : figures) {
        Run run;
        run.id = f.run;
        run.filter = f.run;
        t.runs.push_back(run);
        RunConditions c;
        c.run = f.run;
        c.sub_count = subs;
        r.conditions.push_back(c);
        Measurement m;
        m.run = f.run;
        m.quantity = "time_ratio";
        m.region = "n1";
        m.value = f.value;
        m.sigma = f.sigma;
        m.headline = true;
        r.measurements.push_back(m);
    }
    r.fairness = fairness;
    return rankRuns(t, r);
}

} // namespace

class RankingTest : public QObject {
    Q_OBJECT

private slots:
    void clearDifferencesAreRanked() {
        const auto r = ranked({{"B", 3, 0.1}, {"C", 9, 0.3}, {"D", 6, 0.2}});
        QCOMPARE(r.size(), std::size_t{1});
        QCOMPARE(r[0].quantity, std::string("time_ratio"));
        QCOMPARE(r[0].region, std::string("n1"));
        QCOMPARE(r[0].runs[0].run, std::string("C"));
        QCOMPARE(r[0].runs[2].rank, 3);
        QVERIFY(r[0].pairs[0].separated && r[0].pairs[1].separated && !r[0].pairs[0].moreSubs);
    }

    /// A difference of 1 with errors of 1 each needs (1.96 sqrt 2)^2 = 7.7 times the subs: 6.7 times 20 more.
    void tiesSayHowMuchMoreIsNeeded() {
        const auto r = ranked({{"B", 5, 1}, {"C", 6, 1}});
        QCOMPARE(r[0].runs[0].rank, 1);
        QCOMPARE(r[0].runs[1].rank, 1);
        QVERIFY(!r[0].pairs[0].separated);
        QCOMPARE(r[0].pairs[0].moreSubs.value_or(0), 134);
        QVERIFY(!ranked({{"B", 5, 1}, {"C", 6, 1}}, {}, std::nullopt)[0].pairs[0].moreSubs);
        QVERIFY(!ranked({{"B", 5, 1}, {"C", 5, 1}})[0].pairs[0].moreSubs);
    }

    void tiesAreSaidInWords() {
        const Ranking r = ranked({{"B", 5, 1}, {"C", 6, 1}, {"D", 60, 1}})[0];
        QCOMPARE(tieSentence(r, "B"), std::string("Cannot be told from run C at 95 %; about 134 more subs of each would."));
        QVERIFY(tieSentence(r, "D").empty());
    }

    void whatIsVoidIsNotRanked() {
        const auto r = ranked({{"B", 5, 0.1}, {"C", 6, 0.1}, {"D", 7, 0.1}}, {{"D", "haze", Grade::Voids, {"time_ratio"}, "fog", false}});
        QCOMPARE(r[0].runs.size(), std::size_t{2});
        QCOMPARE(r[0].runs[0].run, std::string("C"));
        QVERIFY(ranked({{"B", 5, 0.1}}).empty());
    }
};

QTEST_GUILESS_MAIN(RankingTest)
#include "ranking_test.moc"
