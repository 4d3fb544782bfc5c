#include "core/base/json.h"
#include "core/base/text.h"
#include "support/scenes.h"

#include <random>

using namespace caelumen;

class TextTest : public QObject {
    Q_OBJECT

private slots:
    void textBecomesUtf8_data() {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QByteArray>("expected");
        QTest::newRow("plain") << QByteArray("M 42") << QByteArray("M 42");
        QTest::newRow("utf-8") << QByteArray("Caf\xC3\xA9 \xE2\x98\x85") << QByteArray("Caf\xC3\xA9 \xE2\x98\x85");
        QTest::newRow("latin-1 inside") << QByteArray("M\xFCller") << QByteArray("M\xC3\xBCller");
        QTest::newRow("latin-1 at the end") << QByteArray("Caf\xE9") << QByteArray("Caf\xC3\xA9");
        QTest::newRow("cut after utf-8") << QByteArray("\xC3\xA9t\xC3") << QByteArray("\xC3\xA9t");
        QTest::newRow("cut long character") << QByteArray("star \xE2\x98") << QByteArray("star ");
        QTest::newRow("stray continuation") << QByteArray("a\x85z") << QByteArray("a\xEF\xBF\xBDz");
        QTest::newRow("too long a form") << QByteArray("\xC0\xAF") << QByteArray("\xC3\x80\xC2\xAF");
        QTest::newRow("surrogate") << QByteArray("\xED\xA0\x80x") << QByteArray("\xC3\xAD\xC2\xA0\xEF\xBF\xBDx");
        QTest::newRow("mark") << QByteArray("\xEF\xBB\xBF"
                                            "500,1")
                              << QByteArray("500,1");
        QTest::newRow("utf-16 little") << QByteArray("\xFF\xFE"
                                                     "5\0,\0",
                                                     6)
                                       << QByteArray("5,");
        QTest::newRow("utf-16 big, beyond the first plane") << QByteArray("\xFE\xFF\xD8\x3D\xDD\x2D", 6) << QByteArray("\xF0\x9F\x94\xAD");
    }
    void textBecomesUtf8() {
        QFETCH(QByteArray, bytes);
        QFETCH(QByteArray, expected);
        QCOMPARE(QByteArray::fromStdString(utf8Text(bytes.toStdString())), expected);
    }

    /// Whatever comes in: valid text comes out, as Qt and the JSON library judge it, and passing it again changes nothing.
    void anyBytesBecomeValidText() {
        std::mt19937 random(5);
        for (int n = 0; n < 20'000; ++n) {
            std::string bytes(random() % 12, ' ');
            for (char& c : bytes) c = static_cast<char>(n % 2 ? random() % 256 : 0x80 + random() % 128);
            const std::string text = utf8Text(bytes);
            QVERIFY(isUtf8(text));
            QCOMPARE(QString::fromStdString(text).toUtf8().toStdString(), text);
            QCOMPARE(Json::parse(Json(text).dump()).get<std::string>(), text);
            if (!text.starts_with("\xEF\xBB\xBF")) QCOMPARE(utf8Text(text), text);
        }
    }

    void namesComeBackByteForByte() {
        std::mt19937 random(6);
        for (int n = 0; n < 20'000; ++n) {
            std::string bytes(1 + random() % 12, 'x');
            for (char& c : bytes) c = static_cast<char>(1 + random() % 255);
            if (n % 3 == 0) bytes += nameText("\xFF\xEE"); // names that hold the marks themselves
            const std::string text = nameText(bytes);
            QVERIFY(isUtf8(text));
            QCOMPARE(pathOf(text).native(), bytes);
            QCOMPARE(pathOf(QString::fromStdString(text).toStdString()).native(), bytes); // through the interface
        }
        QCOMPARE(nameText("Trifid \xC3\xA9.fits"), std::string("Trifid \xC3\xA9.fits"));
        QCOMPARE(shown("caf\xE9.fits"), std::string("caf\xC3\xA9.fits"));
    }

    void aLineHasNoLineEnds() {
        QCOMPARE(oneLine("a\nb\tc\x01"
                         "d\x7F"),
                 std::string("a b c d "));
    }
};

QTEST_GUILESS_MAIN(TextTest)
#include "text_test.moc"
