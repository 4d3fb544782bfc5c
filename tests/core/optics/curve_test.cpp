#include "core/base/json.h"
#include "core/optics/curve.h"
#include "core/optics/passband_report.h"

#include <QTest>

using namespace caelumen;

class CurveTest : public QObject {
    Q_OBJECT

private slots:
    void readsHowPeopleWrite_data() {
        QTest::addColumn<QByteArray>("text");
        QTest::newRow("comma and header") << QByteArray("wavelength,transmission\n500,0.1\n501,0.9\n502,0.2\n");
        QTest::newRow("semicolon, decimal comma, percent") << QByteArray("nm;T\n500,0;10,0\n501,0;90,0\n502,0;20,0\n");
        QTest::newRow("tab") << QByteArray("500\t0.1\n501\t0.9\n502\t0.2");
        QTest::newRow("blanks and comment") << QByteArray("# measured\n500 10%\n501 90%\n502 20%\n");
        QTest::newRow("angstrom, unsorted") << QByteArray("5020,0.2\n5000,0.1\n5010,0.9\n");
        QTest::newRow("decimal commas between commas") << QByteArray("500,0,0,1\n501,0,0,9\n502,0,0,2\n");
        QTest::newRow("micrometres") << QByteArray("um,T\n0.500,0.1\n0.501,0.9\n0.502,0.2\n");
        QTest::newRow("micrometres without a heading, falling") << QByteArray("0.502 0.2\n0.501 0.9\n0.500 0.1\n");
        QTest::newRow("counted rows") << QByteArray("n;nm;T;R\n1;500;0,1;0,9\n2;501;0,9;0,1\n3;502;0,2;0,8\n");
        QTest::newRow("counted from zero, angstrom, percent") << QByteArray("0,5000,10%\n1,5010,90%\n2,5020,20%\n");
        QTest::newRow("optical density") << QByteArray("Wavelength,OD\n500,1\n501,0.045757490560675\n502,0.698970004336019\n");
        QTest::newRow("densities in a comment") << QByteArray("# optical density of the filter\n500 1\n501 0.045757490560675\n502 0.698970004336019\n");
        QTest::newRow("carriage returns") << QByteArray("500,0.1\r\n501,0.9\r\n502,0.2\r\n");
    }
    void readsHowPeopleWrite() {
        QFETCH(QByteArray, text);
        const auto c = parseCurve(text.toStdString(), "test.csv");
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QCOMPARE(c->wavelength_nm.size(), std::size_t{3});
        QVERIFY(std::abs(c->at(501) - 0.9) < 1e-9);
        QVERIFY(std::abs(c->at(500.5) - 0.5) < 1e-9);
        QCOMPARE(c->at(499), 0.0);
        QCOMPARE(c->at(503), 0.0);
    }

    /// What was taken for granted is said, and only that.
    void doubtsAreTold() {
        const auto notesOf = [](const char* text) { return parseCurve(text, "test.csv")->notes; };
        QVERIFY(notesOf("nm,T\n500,0.1\n501,0.9\n502,0.2").empty());
        QVERIFY(notesOf("nm,T (%)\n500,1\n501,90\n502,2").empty());
        const auto low = notesOf("nm,T (%)\n500,0.1\n501,0.9\n502,0.2"); // fractions, or a filter that blocks?
        QVERIFY(low.size() == 1 && low[0].find("per cent") != std::string::npos);
        QVERIFY(notesOf("nm,OD\n500,1\n501,3\n502,2").at(0).find("optical density") != std::string::npos);
        QVERIFY(notesOf("1,500,0.1\n2,501,0.9\n3,502,0.2").at(0).find("first column") != std::string::npos);
        QVERIFY(notesOf("nm,model\n500,0.1\n501,0.9\n502,0.2").empty()); // "od" within a word
        // Reflection beside transmission, wavelengths of whole nanometres: nothing is counted there.
        const auto beside = parseCurve("nm,T,R\n300,0.1,0.9\n301,0.2,0.8\n302,0.3,0.7", "test.csv");
        QVERIFY(beside->at(301) == 0.2 && beside->notes.empty());
    }

    void nothingIsKnownBeyondItsEnds() {
        const auto c = parseCurve("400,0.5\n600,0.5\n660,0.5", "test.csv");
        QVERIFY(c->covers(400) && c->covers(660) && !c->covers(660.1) && !c->covers(399));
        const PassbandReport report = reportPassband(*c, {});
        for (const PassbandReport::LineRow& row : report.lines) QCOMPARE(row.covered, row.line != EmissionLine::SII);
        const Json json = passbandToJson(report);
        QVERIFY(json["lines"]["SII"]["normal"].is_null() && json["lines"]["Ha"]["normal"].is_number());
    }

    void refusesWhatIsNoCurve() {
        for (const char* bad : {"", "a,b\nc,d", "500,0.1\n501,0.2", "500,0.1\n501,-3\n502,1", "5,0.1\n6,0.2\n7,0.3", "500,0.5\n501,400\n502,3"}) {
            const auto c = parseCurve(bad, "bad.csv");
            QVERIFY2(!c.ok(), bad);
            QVERIFY(c.error().message.find("bad.csv") != std::string::npos);
        }
    }

    /// A row that was meant as one and is none is refused with its line, never passed over.
    void badRowsAreNamedByTheirLine_data() {
        QTest::addColumn<QByteArray>("row");
        for (const char* row :
             {"505,oops", "505,nan", "505,inf", "505,-inf", "nan,0.5", "505", "505,", "505,7.3", "505,1e300", "505,-0.4", "50000000,0.5", "and so on"})
            QTest::newRow(row) << QByteArray(row);
    }
    void badRowsAreNamedByTheirLine() {
        QFETCH(QByteArray, row);
        QByteArray text = "# measured\nnm,T\n";
        for (int nm = 400; nm < 500; nm += 5) text += QByteArray::number(nm) + ",0.5\n";
        const QByteArray first = "nm,T\n" + row + "\n400,0.5\n401,0.5\n402,0.5\n";
        text += row + "\n520,0.5\n525,0.5\n";
        const auto c = parseCurve(text.toStdString(), "bad.csv");
        QVERIFY(!c.ok());
        QVERIFY2(c.error().message.find("bad.csv, line 23") == 0, c.error().message.c_str());
        if (row.contains(',') && row != "505,") QVERIFY2(!parseCurve(first.toStdString(), "bad.csv").ok(), "taken for a heading");
    }

    void headingsCommentsAndEmptyRowsArePassedOver() {
        QCOMPARE(parseCurve("400 points of 12 June\nmade by the club\nnm;T\n\n# a remark\n500;0,1\n\n;;\n! another\n501;0,9\n502;0,2\n\n", "x")
                     ->wavelength_nm.size(),
                 std::size_t{3});
    }

    void perCentIsToldFromASlip() {
        QVERIFY(std::abs(parseCurve("500,0\n501,90\n502,0", "x")->at(501) - 0.9) < 1e-9); // one alone above nothing
        QVERIFY(!parseCurve("500,0.8\n501,90\n502,0.7", "x").ok());                       // one alone above fractions
        QVERIFY(std::abs(parseCurve("500 nm,T in %\n500,0.8\n501,90\n502,0.7", "x")->at(501) - 0.9) < 1e-9);
    }

    void sameWavelengthsAreAveraged() { QCOMPARE(parseCurve("500,0.2\n500,0.4\n501,0.5\n502,0.5", "x")->at(500), 0.3); }

    void writesWhatItReads() {
        const auto c = parseCurve("500,0.1\n501,0.9\n502,0.2", "x");
        const auto back = parseCurve(curveToCsv(*c), "y");
        QCOMPARE(back->wavelength_nm, c->wavelength_nm);
        QCOMPARE(back->transmission, c->transmission);
    }
};

QTEST_GUILESS_MAIN(CurveTest)
#include "curve_test.moc"
