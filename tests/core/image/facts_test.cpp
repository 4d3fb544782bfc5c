#include "core/image/fits_facts.h"

#include <QTest>

#include <map>

using namespace caelumen;

namespace {

FrameFacts from(const std::map<std::string, std::string>& cards) {
    return factsFromHeader([&](const char* key) -> std::optional<std::string> {
        const auto it = cards.find(key);
        return it == cards.end() ? std::nullopt : std::optional(it->second);
    });
}

} // namespace

class FactsTest : public QObject {
    Q_OBJECT

private slots:
    void egainWinsOverGain() {
        const auto f = from({{"EGAIN", "0.78"}, {"GAIN", "1.5"}});
        QCOMPARE(*f.gain_e_per_adu, 0.78);
        QCOMPARE(*f.gain_setting, 1.5);
        QCOMPARE(f.sources.at("gain_e_per_adu"), std::string("EGAIN"));
    }
    void gainCountsOnlyWherePlausible() {
        QCOMPARE(*from({{"GAIN", "1.2"}}).gain_e_per_adu, 1.2);
        QVERIFY(!from({{"GAIN", "1.2"}}).notes.empty());
        QVERIFY(!from({{"GAIN", "100"}}).gain_e_per_adu);
        QVERIFY(!from({{"GAIN", "0"}}).gain_e_per_adu);
        QCOMPARE(*from({{"GAIN", "100"}}).gain_setting, 100.0);
    }
    void exposureBothWays() {
        QCOMPARE(*from({{"EXPOSURE", "60"}}).sub_exposure_s, 60.0);
        QCOMPARE(*from({{"EXPTIME", "30"}, {"EXPOSURE", "60"}}).sub_exposure_s, 30.0);
        QVERIFY(!from({{"EXPTIME", "0"}}).sub_exposure_s);
        QVERIFY(!from({{"EXPTIME", "-5"}}).sub_exposure_s);
        QVERIFY(!from({{"EXPTIME", "about a minute"}}).sub_exposure_s);
    }
    void pedestalIsWhatWasAdded() {
        QCOMPARE(*from({{"PEDESTAL", "100"}}).pedestal_adu, 100.0);
        QCOMPARE(*from({{"PEDESTAL", "-100"}}).pedestal_adu, 100.0);
        QVERIFY(!from({{"PEDESTAL", "-100"}}).notes.empty());
        QVERIFY(!from({}).pedestal_adu);
    }
    void placesInBothNotations() {
        QCOMPARE(*from({{"OBJCTRA", "16 40 24"}}).ra_deg, 15 * (16 + 40 / 60.0 + 24 / 3600.0));
        QCOMPARE(*from({{"RA", "250.1"}}).ra_deg, 250.1);
        QCOMPARE(*from({{"OBJCTDEC", "-00 30 00"}}).dec_deg, -0.5);
        QCOMPARE(*from({{"SITELONG", "350"}}).site_longitude_deg, -10.0);
    }
    void timesBecomeUtc() {
        QCOMPARE(*from({{"DATE-OBS", "2026-06-20T18:05:00"}}).start, std::string("2026-06-20T18:05:00Z"));
        QCOMPARE(*from({{"DATE-OBS", "2026-06-20"}, {"TIME-OBS", "18:05:00"}}).start, std::string("2026-06-20T18:05:00Z"));
    }
    void numbersAreWholeNumbersOrNothing() {
        QCOMPARE(*headerNumber("1.5E2"), 150.0);
        QVERIFY(!headerNumber("1.5 seconds"));
        QVERIFY(!headerNumber("nan"));
        QVERIFY(!headerNumber("inf"));
        QVERIFY(!headerNumber(""));
    }
    void countsByEitherKeyword() {
        QCOMPARE(*from({{"NCOMBINE", "20"}}).sub_count, 20);
        QCOMPARE(*from({{"STACKCNT", "12"}}).sub_count, 12);
        QVERIFY(!from({{"STACKCNT", "1e30"}}).sub_count);
    }
};

QTEST_GUILESS_MAIN(FactsTest)
#include "facts_test.moc"
