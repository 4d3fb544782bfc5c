#include "core/model/flags.h"
#include "report/whiskers.h"

#include <QRegularExpression>
#include <QTest>
#include <QXmlStreamReader>

using namespace caelumen;

namespace {

Trial trialOf(int runs) {
    Trial t;
    for (int i = 0; i < runs; ++i) {
        Run run;
        run.id = std::string(1, static_cast<char>('A' + i));
        run.filter = "f" + std::to_string(i);
        run.baseline = i == 0;
        t.runs.push_back(run);
        Filter f;
        f.id = run.filter, f.name = "Glass <" + std::to_string(i) + ">";
        t.filters.push_back(f);
    }
    return t;
}

TrialResults resultsOf(std::vector<Measurement> rows) {
    TrialResults r;
    r.baseline = "A";
    for (const char* run : {"A", "B", "C"}) {
        RunConditions c;
        c.run = run;
        r.conditions.push_back(c);
    }
    r.measurements = std::move(rows);
    return r;
}

const Score& background() {
    return scores()[1];
}

Measurement mag(const char* run, double value, double sigma, std::vector<std::string> flags = {}) {
    return {run, "f", "R", std::string(background().headline), "", value, sigma, std::move(flags), true, {}};
}

Verdict verdictOf(std::vector<std::pair<double, double>> scores) {
    Verdict v;
    int i = 0;
    for (const auto& [score, sigma] : scores) {
        RankedFilter f;
        f.id = "f" + std::to_string(i++), f.name = "Glass " + f.id, f.score = score, f.sigma = sigma, f.pBest = i == 1 ? 0.998 : 0.002;
        f.steps = {score, -1, 0, 0, 0};
        v.ranking.push_back(f);
    }
    return v;
}

} // namespace

class WhiskersTest : public QObject {
    Q_OBJECT

private slots:
    void aRowSaysItsValueOrWhyThereIsNone() {
        const Trial t = trialOf(4);
        const TrialResults r = resultsOf({mag("B", 1.5, 0.1), mag("C", 0.2, 0.1, {flag::upperLimit})});
        const auto row = [&](std::size_t i) { return scoreWhisker(t, &r, t.runs[i], background(), scoreOf(r, t.runs[i].id, background())); };
        QVERIFY(!row(0).value && row(0).text == "baseline");
        QVERIFY(row(1).value == 1.5 && row(1).sigma == 0.1 && !row(1).limit && row(1).name == "B Glass <1>");
        QVERIFY(row(2).limit && row(2).text.startsWith('<'));
        QCOMPARE(row(3).text, QString(QChar(0x2026))); // added since
        QVERIFY(row(1).style.colour != row(2).style.colour && row(1).style.shape != row(2).style.shape);
        QCOMPARE(scoreWhisker(t, nullptr, t.runs[1], background(), nullptr).text, QString(QChar(0x2026)));
    }

    void whatIsNotFairSaysSo() {
        const Trial t = trialOf(2);
        TrialResults r = resultsOf({mag("B", 1.5, 0.1)});
        Unfairness u;
        u.run = "B", u.subject = "exposure", u.grade = Grade::Voids, u.quantities = {std::string(background().headline)};
        r.fairness.push_back(u);
        const Whisker row = scoreWhisker(t, &r, t.runs[1], background(), scoreOf(r, "B", background()));
        QCOMPARE(row.unfair, voided(r, "B", background()) != nullptr);
        QVERIFY(row.unfair);
        QVERIFY(whiskersSvg({row}, 0.0).find("line-through") != std::string::npos);
    }

    void theScaleKeepsOrderAndEdges() {
        WhiskerScale scale;
        QVERIFY(scale.empty());
        scale.take({{}, {}, 2.0, 0.5, {}});
        scale.take({{}, {}, {}, {}, "absent"});
        scale.take(0);
        QVERIFY(!scale.empty() && scale.low == 0 && scale.high == 2.5);
        QCOMPARE(scale.at(0, 100, 200, 0), 100.0);
        QCOMPARE(scale.at(2.5, 100, 200, 0), 200.0);
        QVERIFY(scale.at(0, 100, 200) > 100 && scale.at(2.5, 100, 200) < 200);
        QVERIFY(scale.at(1, 100, 200) < scale.at(1.1, 100, 200));
        QCOMPARE(scale.at(-1e9, 100, 200), 100.0);
    }

    void oneHopelessErrorDoesNotSqueezeTheOthers() {
        WhiskerScale scale;
        scale.take({{}, {}, 2.0, 1e6, {}});
        QVERIFY(scale.high < 20);
        WhiskerScale one;
        one.take(3);
        QVERIFY(std::isfinite(one.at(3, 0, 100))); // no span at all
    }

    void theDrawingHasEachRowAndIsWellFormed() {
        const Trial t = trialOf(3);
        const TrialResults r = resultsOf({mag("B", 1.5, 0.1), mag("C", 2.5, 0.1, {flag::upperLimit})});
        std::vector<Whisker> rows;
        for (const Run& run : t.runs) rows.push_back(scoreWhisker(t, &r, run, background(), scoreOf(r, run.id, background())));
        const QString svg = QString::fromStdString(whiskersSvg(rows, 0.0));
        QXmlStreamReader xml(svg);
        while (!xml.atEnd()) xml.readNext();
        QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
        for (const char* part : {"A Glass &lt;0&gt;", "B Glass &lt;1&gt;", ">baseline<", "fill=\"none\""}) QVERIFY2(svg.contains(part), part);
        QCOMPARE(svg.count("<circle"), 2);
        QRegularExpression at("<circle cx=\"([0-9.]+)\"");
        auto circles = at.globalMatch(svg);
        const double first = circles.next().captured(1).toDouble(), second = circles.next().captured(1).toDouble();
        QVERIFY(first < second && first > 190 && second < 500);
        QVERIFY(whiskersSvg({rows[0]}, 0.0).empty()); // nothing was measured
    }

    void aRankingTellsWhatEachMeritAdds() {
        const Trial t = trialOf(3);
        Profile p;
        p.weights = {3, 1, 0, 0, 0};
        Verdict v = verdictOf({{4, 0.5}, {1, 0.5}});
        v.ranking[1].tiedWith = {"f0"};
        const auto rows = rankingRows(t, v, p);
        QCOMPARE(rows.size(), std::size_t{2});
        QCOMPARE(rows[0].parts[0], 0.75 * 4);
        QCOMPARE(rows[0].parts[1], -0.25);
        QVERIFY(rows[0].ties.isEmpty() && rows[1].ties.contains("Glass f0"));
        QCOMPARE(rows[1].chanceText(), QString("< 1 %"));
        QCOMPARE(rows[0].chanceText(), QString("100 %"));
        const WhiskerScale scale = rankingScale(rows);
        QVERIFY(scale.low <= -0.25 && scale.high >= 4.5);
        p.weights = {};
        QCOMPARE(rankingRows(t, v, p)[0].parts[0], 0.0);
    }
};

QTEST_MAIN(WhiskersTest)
#include "whiskers_test.moc"
