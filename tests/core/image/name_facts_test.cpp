#include "core/image/name_facts.h"

#include <QTest>

using namespace caelumen;

class NameFactsTest : public QObject {
    Q_OBJECT
private slots:
    void namesTell_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<double>("exposure"); // -1: nothing
        QTest::addColumn<double>("gain");
        QTest::addColumn<double>("temperature"); // -999: nothing
        QTest::addColumn<QString>("filter");
        QTest::newRow("all") << "NGC6188_Ha_180s_gain100_-10C_0001.fits" << 180.0 << 100.0 << -10.0 << "Ha";
        QTest::newRow("sec") << "M 8 OIII 60.5sec Gain_0 5.0C.fit" << 60.5 << 0.0 << 5.0 << "OIII";
        QTest::newRow("dashes") << "Light-Lum-300.00s-gain=56-012.FITS" << 300.0 << 56.0 << -999.0 << "L";
        QTest::newRow("letter") << "IC2944_R_120s.fits.fz" << 120.0 << -1.0 << -999.0 << "R";
        QTest::newRow("nothing") << "light-001.fits" << -1.0 << -1.0 << -999.0 << "";
        QTest::newRow("a target is no filter") << "harvest_s3_run_b.fits" << -1.0 << -1.0 << -999.0 << "";
        QTest::newRow("a colour in a target") << "Red_Spider_B_001.fits" << -1.0 << -1.0 << -999.0 << "";
        QTest::newRow("a colour of a capture") << "NGC6537_red_90s.fits" << 90.0 << -1.0 << -999.0 << "R";
        QTest::newRow("numbers") << "2026-06-15_001_180.fits" << -1.0 << -1.0 << -999.0 << "";
        QTest::newRow("bad bytes") << "\xff_180s_Ha.fits" << 180.0 << -1.0 << -999.0 << "Ha";
        QTest::newRow("too long an exposure") << "M8_999999s.fits" << -1.0 << -1.0 << -999.0 << "";
        QTest::newRow("words with numbers") << "abc180stars_gainly5.fits" << -1.0 << -1.0 << -999.0 << "";
    }
    void namesTell() {
        QFETCH(QString, name);
        QFETCH(double, exposure);
        QFETCH(double, gain);
        QFETCH(double, temperature);
        QFETCH(QString, filter);
        FrameFacts f;
        completeFromName(f, name.toLatin1().toStdString());
        QCOMPARE(f.sub_exposure_s.value_or(-1), exposure);
        QCOMPARE(f.gain_setting.value_or(-1), gain);
        QCOMPARE(f.sensor_temperature_c.value_or(-999), temperature);
        QCOMPARE(QString::fromStdString(f.filter.value_or("")), filter);
        QCOMPARE(f.sources.count("sub_exposure_s"), std::size_t(exposure >= 0));
    }

    void headersWin() {
        FrameFacts f;
        f.sub_exposure_s = 60;
        f.sources["sub_exposure_s"] = "EXPTIME";
        f.filter = "Twinline 7";
        completeFromName(f, "M8_Ha_180s_gain100.fits");
        QCOMPARE(f.sub_exposure_s.value(), 60.0);
        QCOMPARE(f.filter.value(), std::string("Twinline 7"));
        QCOMPARE(f.sources["sub_exposure_s"], std::string("EXPTIME"));
        QCOMPARE(f.sources["gain_setting"], std::string(kFromName));
    }
};

QTEST_APPLESS_MAIN(NameFactsTest)
#include "name_facts_test.moc"
