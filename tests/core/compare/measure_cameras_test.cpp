#include "core/compare/evidence.h"
#include "core/compare/measure_trial.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "support/scenes.h"

#include <algorithm>

using namespace caelumen;

/// The night of three-channel frames again, as mono and mosaic cameras see it, by themselves and beside one another.
class MeasureCamerasTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    SimulatedTrial m_simulated;
    std::optional<TrialResults> m_results;

private slots:
    void initTestCase() {
        m_simulated = scenes::smallTrial({"open", "duo7", "duo3"}, 800);
        QVERIFY(writeTrial(m_simulated, m_folder.path()).ok());
        const auto r = measureTrial(m_simulated.trial, m_folder.path() / "trial");
        QVERIFY2(r.ok(), r.ok() ? "" : r.error().message.c_str());
        m_results = *r;
    }

    /// Colour frames beside one of a mono camera, which all of their stars are hidden in.
    void aMonoRunBesideColours() {
        Trial t = m_simulated.trial;
        const auto file = FrameFile::open(m_folder.path() / "trial" / t.runs[2].stack);
        const auto green = file->readChannel(1);
        QVERIFY(green.ok() && writeFits(m_folder.path() / "trial/mono.fits", {&*green}, {}).ok());
        t.runs[2].stack = "mono.fits";
        const auto measured = measureTrial(t, m_folder.path() / "trial");
        QVERIFY(measured.ok());
        const TrialResults& r = *measured;
        QVERIFY(r.headline("B", "background") && r.headline("C", "background"));
        QCOMPARE((*r.evidence)[2].planes.size(), std::size_t{1});
        std::size_t hidden = 0;
        for (const PlaneHarvest& h : (*m_results->evidence)[2].planes) hidden = std::max(hidden, h.discs->size());
        QVERIFY((*r.evidence)[2].planes[0].discs->size() > hidden);
    }

    void monoAndMosaicRunsMeasureToo() {
        SimulatedTrial s = scenes::smallTrial({"open", "duo7"}, 800);
        s.runs[1].camera = SceneCamera::Mosaic;
        s.folder = "mosaic";
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        auto r = measureTrial(s.trial, m_folder.path() / "mosaic");
        QVERIFY2(r.ok(), r.ok() ? "" : r.error().message.c_str());
        const auto sum = [&](const TrialResults& x, const char* q, const char* channel) { return x.find("B", q, channel); };
        // The mosaic's sites see what the three-channel camera saw: same scene, same truth.
        for (const char* channel : {"R", "G", "B"}) {
            const Measurement *a = sum(*r, "background", channel), *b = sum(*m_results, "background", channel);
            QVERIFY(a && b);
            QVERIFY2(std::abs(a->value / b->value - 1) < 0.03, qPrintable(QString("%1 %2 %3").arg(channel).arg(a->value).arg(b->value)));
        }
        const Measurement* fwhm = r->find("B", "star_fwhm", "G");
        QVERIFY(fwhm && std::abs(fwhm->value / s.runs[1].fwhm_px - 1) < 0.2); // half as many pixels across a star
        // A mono run against a colour baseline: no channel to divide backgrounds by, but the nebula can be compared.
        s.runs[1].camera = SceneCamera::Mono;
        s.folder = "mixed";
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        const auto mixed = measureTrial(s.trial, m_folder.path() / "mixed");
        QVERIFY(mixed.ok());
        QVERIFY(mixed->headline("B", "time_ratio", "N1"));
        QVERIFY(mixed->whyAbsent("B", "background_ratio")->reason.find("no such channel") != std::string::npos);
        for (SceneRun& run : s.runs) run.camera = SceneCamera::Mono;
        s.folder = "mono";
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        r = measureTrial(s.trial, m_folder.path() / "mono");
        QVERIFY(r.ok());
        QVERIFY(r->headline("B", "time_ratio", "N1")->channel == "L");
        QVERIFY(r->whyAbsent("B", "colour_slope")->reason.find("three channels") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(MeasureCamerasTest)
#include "measure_cameras_test.moc"
