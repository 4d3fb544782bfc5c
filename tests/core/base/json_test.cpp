#include "core/base/json.h"
#include "core/base/tables.h"
#include "support/scenes.h"

using namespace caelumen;

class JsonTest : public QObject {
    Q_OBJECT

private slots:
    void nestingIsBounded() {
        const auto nested = [](int depth) { return std::string(static_cast<std::size_t>(depth), '[') + std::string(static_cast<std::size_t>(depth), ']'); };
        QVERIFY(parseJson(nested(60), "x").ok());
        const auto deep = parseJson(nested(3'000'000), "deep.json");
        QVERIFY(!deep.ok());
        QVERIFY(deep.error().message.find("deep.json") == 0 && deep.error().message.find("nested") != std::string::npos);
    }

    void aZeroCharacterIsRefused() {
        QVERIFY(!parseJson(R"({"stack": "a.fits\u0000.txt"})", "x").ok());
        QVERIFY(!parseJson(R"({"a\u0000b": 1})", "x").ok());
    }

    void errorsAreOneLineThatNamesTheFile() {
        for (const char* bad : {"", "{", "{\"a\": 1,}", "[1 2]", "{\"a\": \"\xFF\"}", "nul", "1e999", "\"\\ud800\""}) {
            const auto json = parseJson(bad, "some.json");
            if (json) continue; // an overflowing number may be taken as infinite
            QVERIFY2(json.error().message.starts_with("some.json") && json.error().message.find('\n') == std::string::npos, json.error().message.c_str());
        }
        QVERIFY(!parseJson("{", "x").ok() && !parseJson("{\"a\": \"\xFF\"}", "x").ok());
    }

    void writingNeverFails() { QCOMPARE(jsonText(Json{{"a", "Caf\xE9"}}), std::string("{\"a\":\"Caf\xEF\xBF\xBD\"}")); }

    void cellsAreHarmless_data() {
        QTest::addColumn<QString>("cell");
        QTest::addColumn<QString>("written");
        for (const char* formula : {"=1+2", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "\tx", "=HYPERLINK(\"http://x\")"})
            QTest::newRow(formula) << QString(formula) << "'" + QString(formula);
        for (const char* plain : {"-3.4", "+1e-5", "-inf", "", "a=b", "Duo-3", "'quoted'"}) QTest::newRow(plain) << QString(plain) << QString(plain);
    }
    void cellsAreHarmless() {
        QFETCH(QString, cell);
        QFETCH(QString, written);
        QCOMPARE(QString::fromStdString(harmlessCell(cell.toStdString())), written);
        const auto back = csvRows(csvRow({"first", cell.toStdString(), "last"}));
        QCOMPARE(back.size(), std::size_t{1});
        QCOMPARE(back[0].size(), std::size_t{3});
        QCOMPARE(QString::fromStdString(back[0][1]), cell);
    }
};

QTEST_GUILESS_MAIN(JsonTest)
#include "json_test.moc"
