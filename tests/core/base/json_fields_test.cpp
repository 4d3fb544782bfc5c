#include "core/base/json_fields.h"

#include <QTest>

using namespace caelumen;

class JsonFieldsTest : public QObject {
    Q_OBJECT

    /// What is said when a file is read by `read`; empty when all is well.
    template<class Read>
    static std::string saidOf(const char* text, Read read) {
        const auto json = parseJson(text, "f.json");
        if (!json) return json.error().message;
        const auto result = understood<int>("f.json", [&]() -> Result<int> {
            read(JsonFields(*json, "f.json", "the thing"));
            return 1;
        });
        return result ? std::string() : result.error().message;
    }

private slots:
    void whatIsThereIsRead() {
        const Json json =
            Json::parse(R"({"n": 2.5, "i": 3, "t": "word", "b": true, "l": ["a", "b"], "o": {"x": 1}, "p": [1, 2], "e": [{"k": 1}, {"k": 2}], "none": null})");
        const JsonFields r(json, "f.json", "the thing");
        QCOMPARE(r.number("n").value(), 2.5);
        QCOMPARE(r.whole("i", 0, 10).value(), 3);
        QCOMPARE(r.text("t"), std::string("word"));
        QVERIFY(r.flag("b"));
        QCOMPARE(r.texts("l"), (std::vector<std::string>{"a", "b"}));
        QCOMPARE(r.object("o").number("x").value(), 1.0);
        QVERIFY(*r.point("p") == (Point{1, 2}));
        QCOMPARE(r.objects("e").at(1).wholeOr("k", 0, 0, 9), 2);
        QCOMPARE(r.oneOf<int>("t", 0, {{"other", 1}, {"word", 2}}), 2);
        QCOMPARE(r.items("o").size(), std::size_t{1});
    }

    void whatIsMissingIsNoFault() {
        const Json json = Json::parse(R"({"none": null})");
        const JsonFields r(json, "f.json", "the thing");
        for (const char* key : {"absent", "none"}) {
            QVERIFY(!r.number(key) && !r.positive(key) && !r.whole(key, 0, 1) && !r.point(key) && !r.list(key) && r.texts(key).empty() &&
                    r.objects(key).empty() && r.items(key).empty());
            QCOMPARE(r.numberOr(key, 7, 0, 9), 7.0);
            QVERIFY(r.flag(key, true));
            QVERIFY(!r.object(key).field("x"));
        }
    }

    void faultsNameFileAndPlace_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("said");
        QTest::newRow("kind") << R"({"n": "x"})"
                              << "f.json: the thing has \"n\" that is not a number.";
        QTest::newRow("range") << R"({"n": 11})"
                               << "f.json: the thing has \"n\" = 11; it must be a number from 0 to 10.";
        QTest::newRow("whole") << R"({"i": 1.5})"
                               << "f.json: the thing has \"i\" that must be a whole number.";
        QTest::newRow("text") << R"({"t": 1})"
                              << "f.json: the thing has \"t\" that is not text.";
        QTest::newRow("word") << R"({"w": "z"})"
                              << "f.json: the thing has \"w\" = \"z\"; it must be one of a, b.";
        QTest::newRow("entry") << R"({"e": [{"k": 1}, {"k": 99}]})"
                               << "f.json: entry 2 of \"e\" has \"k\" = 99; it must be a number from 0 to 9.";
        QTest::newRow("list") << R"({"e": 1})"
                              << "f.json: the thing has \"e\" that must be a list in square brackets.";
        QTest::newRow("texts") << R"({"l": [1]})"
                               << "f.json: the thing has \"l\" that must be a list of texts.";
        QTest::newRow("object") << R"({"o": 1})"
                                << "f.json: \"o\" must be an object in braces.";
        QTest::newRow("array") << R"([])"
                               << "f.json: the thing must be an object in braces.";
    }
    void faultsNameFileAndPlace() {
        QFETCH(QString, text);
        QFETCH(QString, said);
        QCOMPARE(QString::fromStdString(saidOf(text.toUtf8(),
                                               [](const JsonFields& r) {
                                                   r.number("n", 0, 10);
                                                   r.whole("i", 0, 10);
                                                   r.text("t");
                                                   r.oneOf<int>("w", 0, {{"a", 1}, {"b", 2}});
                                                   for (const JsonFields& e : r.objects("e")) e.wholeOr("k", 0, 0, 9);
                                                   r.texts("l");
                                                   r.object("o");
                                               })),
                 said);
    }

    void formatsAreAskedFor() {
        const auto ask = [](const JsonFields& r) { r.needFormat("caelumen_x", "an x"); };
        QCOMPARE(saidOf(R"({"caelumen_x": 1})", ask), std::string());
        QCOMPARE(saidOf(R"({})", ask), std::string("f.json has no \"caelumen_x\"; it is not an x."));
        QCOMPARE(saidOf(R"({"caelumen_x": 2})", ask), std::string("f.json is of format 2; this program reads format 1."));
    }
};

QTEST_APPLESS_MAIN(JsonFieldsTest)
#include "json_fields_test.moc"
