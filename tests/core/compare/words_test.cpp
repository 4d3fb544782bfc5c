#include "core/compare/scores.h"
#include "core/compare/sentences.h"
#include "core/model/quantity.h"

#include <QTest>

#include <set>

using namespace caelumen;

namespace {

TrialResults resultsWith(double ratio, double sigma) {
    TrialResults r;
    r.baseline = "A";
    r.measurements = {{"B", "duo", "R", "time_ratio", "N1", ratio, sigma, {}, true, {}}};
    return r;
}

Trial trialOfTwo() {
    Trial t;
    t.filters = {{"open", "No filter", "none", "", std::nullopt, false}, {"duo", "Twinline", "dual-band", "", std::nullopt, false}};
    t.runs.resize(2);
    t.runs[0].id = "A";
    t.runs[0].filter = "open";
    t.runs[1].id = "B";
    t.runs[1].filter = "duo";
    t.regions = {{"N1", RegionRole::Nebula, RegionShape::Circle, {{5, 5}}, 3, "", "shell", false}};
    return t;
}

} // namespace

class WordsTest : public QObject {
    Q_OBJECT

private slots:
    void quantitiesAreWhole() {
        const std::set<std::string_view> units{"e-/s/px", "1", "mag", "mag/arcsec2", "px", "arcsec", "deg", "1/deg2", "mm", "e-", "s"};
        std::set<std::string_view> ids;
        for (const Quantity& q : quantities()) {
            QVERIFY2(ids.insert(q.id).second, q.id.data());
            QVERIFY2(units.count(q.unit), q.id.data());
            QVERIFY(!q.label.empty() && q.about.ends_with('.'));
        }
        QVERIFY(!quantity("nonsense"));
        for (const Score& s : scores()) QVERIFY(quantity(s.headline));
    }

    void valuesAreRoundedToTheirErrors_data() {
        QTest::addColumn<double>("value");
        QTest::addColumn<double>("sigma");
        QTest::addColumn<QString>("text");
        QTest::newRow("one digit") << 6.123 << 0.42 << QString::fromUtf8("6.1 \u00B10.4");
        QTest::newRow("two digits where it begins with one") << 6.123 << 0.14 << QString::fromUtf8("6.12 \u00B10.14");
        QTest::newRow("whole") << 1234.5 << 37.0 << QString::fromUtf8("1234 \u00B137");
        QTest::newRow("small") << 0.01234 << 0.0005 << QString::fromUtf8("0.0123 \u00B10.0005");
        QTest::newRow("negative") << -0.5 << 0.03 << QString::fromUtf8("-0.50 \u00B10.03");
    }
    void valuesAreRoundedToTheirErrors() {
        QFETCH(double, value);
        QFETCH(double, sigma);
        QFETCH(QString, text);
        QCOMPARE(QString::fromStdString(formatNumber(value, sigma)), text);
    }

    void limitsSayWhichWay() {
        Measurement depth{"B", "duo", "R", "halo_depth", "H1", 17.24, 0.36, {"upper-limit"}, false, {}};
        QCOMPARE(QString::fromStdString(formatValue(depth)), QString("> 17.2"));
        Measurement light{"B", "duo", "R", "halo_flux_fraction", "H1", 0.003, 0.001, {"upper-limit"}, false, {}};
        QCOMPARE(QString::fromStdString(formatValue(light)), QString("< 0.0030"));
    }

    void theAnswerSaysFasterSlowerOrEqual() {
        const Trial t = trialOfTwo();
        QVERIFY(answerSentence(t, resultsWith(6.1, 0.4), "B").find("6.1 \u00B10.4 times faster") != std::string::npos);
        QVERIFY(answerSentence(t, resultsWith(0.5, 0.05), "B").find("times as long") != std::string::npos);
        QVERIFY(answerSentence(t, resultsWith(1.02, 0.1), "B").find("equally fast") != std::string::npos);
        for (const auto& [value, sigma] : {std::pair{1.9, 0.9}, {0.6, 0.3}, {2.7, 0.9}}) { // nobody may take these for an answer
            const std::string said = answerSentence(t, resultsWith(value, sigma), "B");
            QVERIFY2(said.find("cannot be told at 95 %") != std::string::npos && said.find("times") == std::string::npos, said.c_str());
        }
        QVERIFY(answerSentence(t, resultsWith(2.9, 0.9), "B").find("times faster") != std::string::npos);
        QVERIFY(answerSentence(t, resultsWith(6, 0.4), "A").find("baseline") != std::string::npos);
    }

    void aVoidedAnswerSaysSo() {
        TrialResults r = resultsWith(6, 0.4);
        r.fairness = {{"B", "haze", Grade::Voids, {"time_ratio"}, "fog", false}};
        QVERIFY(answerSentence(trialOfTwo(), r, "B").find("not fair") != std::string::npos);
        QVERIFY(voided(r, "B", scores()[0]) != nullptr);
        QVERIFY(voided(r, "A", scores()[0]) == nullptr);
    }

    void absenceIsToldWithItsReason() {
        TrialResults r;
        r.baseline = "A";
        r.absent = {{"B", "R", "time_ratio", "N1", "the nebula is not detected in the baseline"}};
        QVERIFY(answerSentence(trialOfTwo(), r, "B").find("not detected") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(WordsTest)
#include "words_test.moc"
