#include "core/compare/measure_trial.h"
#include "core/plan/forecast.h"
#include "core/simulate/demo.h"

#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cmath>

using namespace caelumen;

namespace {

const Measurement* figure(const TrialResults& r, const std::string& run, const std::string& channel, const char* quantity, const std::string& region) {
    for (const Measurement& m : r.measurements)
        if (m.run == run && m.channel == channel && m.quantity == quantity && m.region == region) return &m;
    return nullptr;
}

double median(std::vector<double> v) {
    std::sort(v.begin(), v.end());
    return v[v.size() / 2];
}

} // namespace

class ProofErrorTest : public QObject {
    Q_OBJECT

private slots:
    /// What is foretold of a run is what the Bench then states: the demo's three nights, every run and channel, from the light and the regions that they have.
    void foretoldErrorsAreThoseThatTheBenchStates() {
        std::vector<double> signal, ratio;
        for (const SimulatedTrial& demo : demoTrials()) {
            QTemporaryDir folder;
            QVERIFY(writeTrial(demo, folder.path().toStdString()));
            const auto results = measureTrial(demo.trial, folder.path().toStdString() + "/" + demo.folder);
            QVERIFY2(results.ok(), results ? "" : results.error().message.c_str());
            const SceneRig& rig = demo.runs[0].rig;
            DeepSky target;
            auto ground = groundOf(demo.trial, target, rig.scale_arcsec());
            QVERIFY(ground);
            ground->starsTo15 = demo.starsPerSquareDegree * std::pow(10, 0.24 * (15 - 16.5)); // of as many as 16.5, by the law of the faint ones
            const auto ratesOf = [&](const SceneRun& run, int c, double s, double b) { return RunRates{s, b, run.rig.readNoise_e, channelRates(run, c).star(0, 5800), run.rig.scale_arcsec(), run.fwhm_px}; };
            std::map<std::string, ForetoldRun> baseline;
            std::array<double, 3> hidden{};
            for (const SceneRun& run : demo.runs)
                for (std::size_t c = 0; c < 3; ++c)
                    if (const Measurement* b = figure(*results, run.id, std::string(1, "RGB"[c]), "background", ""))
                        hidden[c] = std::max(hidden[c], faintestFound(ratesOf(run, static_cast<int>(c), 0, b->value), run.sub_exposure_s, run.sub_count));
            for (std::size_t i = 0; i < demo.runs.size(); ++i) {
                const SceneRun& run = demo.runs[i];
                for (int c = 0; c < 3; ++c) {
                    const std::string channel(1, "RGB"[c]);
                    const Measurement *s = figure(*results, run.id, channel, "nebula_signal", "N1"), *b = figure(*results, run.id, channel, "background", ""), *t = figure(*results, run.id, channel, "time_ratio", "N1");
                    if (!s || !b) continue;
                    const ForetoldRun told = foretellRun(ratesOf(run, c, s->value, b->value), run.sub_exposure_s, run.sub_count, *ground, hidden[static_cast<std::size_t>(c)]);
                    if (i == 0) baseline[channel] = told;
                    signal.push_back(std::log(told.signalSigma / s->sigma));
                    if (t) ratio.push_back(std::log(2 * std::hypot(told.relativeSigma, baseline[channel].relativeSigma) * t->value / t->sigma));
                }
            }
        }
        for (auto* part : {&signal, &ratio}) {
            std::vector<double> off;
            for (const double v : *part) off.push_back(std::abs(v));
            qInfo("foretold over stated errors: median %.2f, half within %.2f times, of %zu", std::exp(median(*part)), std::exp(median(off)), part->size());
            QVERIFY(part->size() > 20);
            QVERIFY(std::abs(median(*part)) < std::log(1.15));
            QVERIFY(median(off) < std::log(1.3));
        }
    }
};

QTEST_GUILESS_MAIN(ProofErrorTest)
#include "proof_error_test.moc"
