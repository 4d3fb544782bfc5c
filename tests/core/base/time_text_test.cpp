#include "core/base/time_text.h"
#include "core/sky/night_track.h"
#include "support/scenes.h"

using namespace caelumen;

class TimeTextTest : public QObject {
    Q_OBJECT

private slots:
    void timesBecomeUtc_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("utc");
        const auto row = [](const char* text, const char* utc) { QTest::newRow(text) << QString(text) << QString(utc); };
        row("2026-06-20T18:05:00Z", "2026-06-20T18:05:00Z");
        row("2026-06-20T18:05", "2026-06-20T18:05:00Z");
        row("2026-06-20T18:05:07.250", "2026-06-20T18:05:07.250Z");
        row("2026-06-20T20:05:00+02:00", "2026-06-20T18:05:00Z");
        row("2026-06-20T20:05:00+0200", "2026-06-20T18:05:00Z");
        row("2026-06-20T20:05:00+02", "2026-06-20T18:05:00Z");
        row("2026-01-01T01:30:00+05:30", "2025-12-31T20:00:00Z");
        row("2024-02-28T22:00:00-03:00", "2024-02-29T01:00:00Z");
        row("2016-12-31T23:59:60Z", "2016-12-31T23:59:60Z"); // a leap second
        for (const char* bad :
             {"", "2026-06-20", "2026-06-20 18:05:00", "2026-06-20T18:05:00Zx", "2026-06-20T18:05:00 ", " 2026-06-20T18:05:00", "2026-13-01T00:00:00Z",
              "2026-02-29T00:00:00Z", "2026-06-31T00:00Z", "2026-06-20T24:00:00Z", "2026-06-20T18:60:00Z", "2026-06-20T18:05:61Z", "2026-06-20T18:05:00+15:00",
              "2026-06-20T18:05:00+", "2026-06-20T18:05:00+2", "2026-06-20T18:5:00Z", "26-06-20T18:05:00Z", "2026-06-20T18:05:00ZZ", "0026-06-20T18:05:00Z"})
            QTest::newRow((std::string("no time: ") + bad).c_str()) << QString(bad) << QString();
    }
    void timesBecomeUtc() {
        QFETCH(QString, text);
        QFETCH(QString, utc);
        const auto got = utcTime(text.toStdString());
        QCOMPARE(QString::fromStdString(got.value_or("")), utc);
        // The sky is computed for the same moment, or for none.
        const auto sky = parseTime(text.toStdString());
        QCOMPARE(sky.ok(), !utc.isEmpty());
        if (sky && !utc.contains(":60")) QCOMPARE(isoTime(*sky), isoTime(*parseTime(utc.toStdString())));
    }
};

QTEST_GUILESS_MAIN(TimeTextTest)
#include "time_text_test.moc"
