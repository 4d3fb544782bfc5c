#include "core/base/json.h"
#include "core/compare/blind_look.h"

#include <QTest>

#include <map>
#include <set>

using namespace caelumen;

class BlindLookTest : public QObject {
    Q_OBJECT

    static TrialResults resultsWith(const std::vector<std::tuple<std::string, double, double>>& figures, const char* quantity = "time_ratio") {
        TrialResults r;
        r.baseline = "A";
        for (const auto& [run, value, sigma] : figures) r.measurements.push_back({run, run, "R", quantity, "N1", value, sigma, {}, true, {}});
        return r;
    }
    static BlindLook lookOf(std::vector<std::string> ranking, const char* score = "nebula") { return {score, "N1", ranking, std::move(ranking), "", ""}; }

private slots:
    void everyOrderIsAsLikely() {
        std::map<std::vector<std::string>, int> seen;
        for (std::uint64_t seed = 0; seed < 6000; ++seed) ++seen[shuffledRuns({"A", "B", "C"}, seed)];
        QCOMPARE(seen.size(), std::size_t{6});
        for (const auto& [order, n] : seen) QVERIFY2(std::abs(n - 1000) < 5 * 29, qPrintable(QString::number(n)));
    }

    void agreementCountsWhatFiguresTellApart() {
        // B 6, C 3, D 2.9: C and D are not told apart, the baseline stands at 1.
        const TrialResults r = resultsWith({{"B", 6, 0.3}, {"C", 3, 0.2}, {"D", 2.9, 0.2}});
        const Agreement all = agreementOf(lookOf({"B", "D", "C", "A"}), r);
        QCOMPARE(all.pairs, 5);
        QCOMPARE(all.open, 1);
        QCOMPARE(all.agreed, 5);
        QVERIFY((all.measured == std::vector<std::string>{"B", "C", "D", "A"}));
        // By hand: of 24 orders two have B before both, both before A.
        QVERIFY(std::abs(all.chance - 2.0 / 24) < 1e-12);
        const Agreement none = agreementOf(lookOf({"A", "C", "D", "B"}), r);
        QCOMPARE(none.agreed, 0);
        QCOMPARE(none.chance, 1.0);
    }

    /// Where less is better, the smaller figure is the better one; limits and runs without a figure have no say.
    void theDirectionIsTheQuantitys() {
        TrialResults r = resultsWith({{"B", 0.05, 0.001}, {"C", 0.2, 0.001}, {"D", 0.01, 0.003}}, "gradient");
        for (Measurement& m : r.measurements) m.region.clear();
        BlindLook look = lookOf({"B", "C"}, "gradient");
        look.region.clear();
        QCOMPARE(agreementOf(look, r).agreed, 1);
        look.ranking = {"C", "B"};
        QCOMPARE(agreementOf(look, r).agreed, 0);
        r.measurements[2].flags = {"upper-limit"};
        look.ranking = {"D", "C", "B", "E"};
        QCOMPARE(agreementOf(look, r).pairs, 1);
        look.score = "no such score";
        QCOMPARE(agreementOf(look, r).pairs, 0);
    }

    void itIsKept() {
        const BlindLook look{"halo", "H2", {"B", "A"}, {"A", "B"}, "less glow, \u201Ccleaner\u201D", "2026-06-20T20:00:00Z"};
        const auto back = blindLookFromJson(*parseJson(jsonText(blindLookToJson(look)), "x"), "x");
        QVERIFY(back.ok() && *back == look);
        QVERIFY(!blindLookFromJson(*parseJson("{\"score\": \"taste\"}", "x"), "the file x"));
        QVERIFY(!blindLookFromJson(*parseJson("[]", "x"), "the file x"));
    }
};

QTEST_GUILESS_MAIN(BlindLookTest)
#include "blind_look_test.moc"
