#include "core/model/facts.h"

#include <QTest>

using namespace caelumen;

class FactsTest : public QObject {
    Q_OBJECT
private slots:
    /// Each fact comes from the most trusted that knows it, and is the same when only a less trusted one does.
    void theMostTrustedSpeaks() {
        FrameFacts header;
        header.pixel_um = 3.76;
        header.gain_e_per_adu = 0.5;
        header.read_noise_e = 1.7;
        header.sources["pixel_um"] = "XPIXSZ";
        Rig trial, run;
        trial.gain_e_per_adu = 0.5;
        run.pedestal_adu = 200;
        Camera camera;
        camera.name = "Sample 26";
        camera.full_well_e = 51'000;
        camera.pixel_um = 9;
        const Facts facts = resolveFacts(trial, run, &header, &camera);
        QVERIFY(facts.of("pixel_um")->source == FactSource::Header && facts.of("pixel_um")->from == "XPIXSZ");
        QVERIFY(facts.of("gain_e_per_adu")->source == FactSource::Trial);
        QVERIFY(facts.of("pedestal_adu")->source == FactSource::Run);
        QVERIFY(facts.of("full_well_e")->source == FactSource::Camera && facts.of("full_well_e")->from == "Sample 26");
        QVERIFY(!facts.of("aperture_mm"));
        QCOMPARE(facts.rig.pixel_um.value(), 3.76);
        QVERIFY(facts.conflicts.empty());

        trial.pixel_um = 3.76; // said twice, it is what it was
        QCOMPARE(resolveFacts(trial, run, &header, &camera).rig.pixel_um.value(), facts.rig.pixel_um.value());
        const std::string said = factsSentence(facts.list);
        QVERIFY(said.find("header, XPIXSZ") != std::string::npos && said.find("camera, Sample 26") != std::string::npos);
    }

    void disagreementIsSaidOnce() {
        FrameFacts header;
        header.focal_length_mm = 500;
        Rig trial;
        trial.focal_length_mm = 480;
        const Facts facts = resolveFacts(trial, {}, &header);
        QCOMPARE(facts.conflicts.size(), std::size_t{1});
        QVERIFY(facts.conflicts[0].find("focal length (mm): the header says 500, the trial 480") == 0);
        QCOMPARE(facts.rig.focal_length_mm.value(), 480.0);
    }

    void aRigIsCompletedByHeadersAlone() {
        Rig rig;
        rig.aperture_mm = 80;
        const Rig whole = completed(
            rig,
            {{"pixel_um", 3.76, FactSource::Header, "XPIXSZ"}, {"gain_e_per_adu", 1, FactSource::Assumed, {}}, {"aperture_mm", 100, FactSource::Header, {}}});
        QCOMPARE(whole.pixel_um.value(), 3.76);
        QVERIFY(!whole.gain_e_per_adu);
        QCOMPARE(whole.aperture_mm.value(), 80.0);
    }
};

QTEST_APPLESS_MAIN(FactsTest)
#include "facts_test.moc"
