#include "core/base/json.h"
#include "core/image/frame_file.h"
#include "core/model/trial_json.h"
#include "core/simulate/demo.h"
#include "core/simulate/render.h"
#include "support/scenes.h"

#include <set>

using namespace caelumen;
namespace fs = std::filesystem;

class DemoTest : public QObject {
    Q_OBJECT

private slots:
    void theScenarioHoldsWhatItPromises() {
        const auto trials = demoTrials();
        QCOMPARE(trials.size(), std::size_t{3});
        std::size_t runs = 0;
        std::set<std::string> filters, places;
        for (const auto& t : trials) {
            runs += t.runs.size();
            places.insert(t.trial.site.name);
            for (const auto& r : t.runs) filters.insert(r.filter.id);
            QCOMPARE(t.runs.size(), t.trial.runs.size());
            QVERIFY(t.trial.site.latitude_deg < 0);
            QVERIFY(trialFromJson(trialToJson(t.trial), t.folder).ok());
        }
        QVERIFY(runs >= 10);
        QCOMPARE(filters.size(), std::size_t{6});
        QCOMPARE(places.size(), std::size_t{3});
        QVERIFY(trials[1].runs.back().sky.fog > 0.1);                                               // spoiled
        QVERIFY(trials[2].runs.back().sub_exposure_s != trials[2].runs.front().sub_exposure_s);     // unfair
        QVERIFY(trials[0].runs[0].sky.moon_nl > 10 * std::max(1.0, trials[2].runs[0].sky.moon_nl)); // full against new moon
    }

    void theSameSeedMakesTheSameFrame() {
        const scenes::Folder one, two;
        SimulatedTrial s = scenes::smallTrial({"open", "duo7"}, 320);
        QVERIFY(writeTrial(s, one.path()).ok());
        QVERIFY(writeTrial(s, two.path()).ok());
        const auto a = FrameFile::open(one / "trial/B.fits")->readChannel(1), b = FrameFile::open(two / "trial/B.fits")->readChannel(1);
        QVERIFY(std::equal(a->data(), a->data() + a->size(), b->data()));
        s.runs[1].noiseSeed += 1;
        QVERIFY(writeTrial(s, two.path()).ok());
        const auto c = FrameFile::open(two / "trial/B.fits")->readChannel(1);
        QVERIFY(!std::equal(a->data(), a->data() + a->size(), c->data()));
    }

    /// A star's light all arrives: core, aureole and ghost together, to the part that falls outside the drawn area.
    void starsKeepTheirLight() {
        SceneRun run = scenes::smallTrial({"duo3"}, 640).runs[0];
        run.vignette = 0;
        run.filter.ghosts = {{0.8, 0.02, {}}};
        const NebulaMap none;
        const std::vector<SceneStar> star{{{320, 213}, 7, 8000}};
        const CleanPlane clean = renderClean(run, 1, none, star);
        double sum = 0;
        for (std::size_t i = 0; i < clean.stars.size(); ++i) sum += static_cast<double>(clean.stars.data()[i]);
        const double light = channelRates(run, 1).star(7, 8000);
        QVERIFY2(sum / light > 0.99 && sum / light < 1.022, qPrintable(QString::number(sum / light)));
    }

    /// Photon and read noise of a stack of n subs, and its mean.
    void exposureHasItsNoise() {
        SceneRun run = scenes::smallTrial({"open"}, 320).runs[0];
        CleanPlane clean{Plane(200, 200, 0.5F), Plane(200, 200), Plane(200, 200)};
        run.width = run.height = 200;
        const Plane p = expose(run, clean, 0);
        double sum = 0, squares = 0;
        for (std::size_t i = 0; i < p.size(); ++i) {
            const double e = (static_cast<double>(p.data()[i]) - run.rig.pedestal_adu) * run.rig.gain_e_per_adu;
            sum += e;
            squares += e * e;
        }
        const double n = static_cast<double>(p.size()), mean = sum / n, variance = squares / n - mean * mean;
        const double expected = 0.5 * run.sub_exposure_s, noise = (expected + std::pow(run.rig.readNoise_e, 2)) / run.sub_count;
        QVERIFY(std::abs(mean - expected) < 4 * std::sqrt(noise / n));
        QVERIFY2(std::abs(variance / noise - 1) < 0.03, qPrintable(QString::number(variance / noise)));
    }

    void brightStarsBurnOutAtFullScale() {
        SceneRun run = scenes::smallTrial({"open"}, 320).runs[0];
        run.width = run.height = 50;
        CleanPlane clean{Plane(50, 50, 5000.0F), Plane(50, 50), Plane(50, 50)};
        const Plane p = expose(run, clean, 0);
        QVERIFY(std::abs(static_cast<double>(p.at(5, 5)) -
                         std::min(run.rig.fullScale_adu, run.rig.fullWell_e / run.rig.gain_e_per_adu + run.rig.pedestal_adu)) < 1);
    }

    void nothingIsLeftWhenCancelled() {
        const scenes::Folder out;
        std::stop_source stop;
        stop.request_stop();
        Job job;
        job.stop = stop.get_token();
        QVERIFY(!writeTrial(scenes::smallTrial({"open", "duo7"}, 320), out.path(), job).ok());
        QVERIFY(!fs::exists(out / "trial/trial.json"));
    }
};

QTEST_GUILESS_MAIN(DemoTest)
#include "demo_test.moc"
