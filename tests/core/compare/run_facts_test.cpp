#include "core/compare/run_facts.h"
#include "core/model/filter_kinds.h"
#include "core/model/flags.h"
#include "support/scenes.h"

#include <algorithm>
#include <cmath>

using namespace caelumen;

/// What a run's pixels stand for: from the trial where it speaks, else from the header, else assumed and said so.
class RunFactsTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    Trial m_trial;

    Run run() const { return m_trial.runs.front(); }
    OpenRun opened(const Run& run) const {
        auto out = openRun(m_trial, run, m_folder / "trial");
        if (!out) qFatal("%s", out.error().message.c_str());
        return std::move(*out);
    }
    static bool has(const OpenRun& open, const char* flag) {
        const auto& all = open.conditions.flags;
        return std::find(all.begin(), all.end(), flag) != all.end();
    }

private slots:
    void initTestCase() {
        SimulatedTrial s = scenes::smallTrial({"open", "duo3"}, 320);
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        m_trial = s.trial;
    }

    void ratesAreLinearFromThePedestal() {
        const OpenRun open = opened(run());
        QVERIFY(open.problem.empty());
        QCOMPARE(open.rateOf(open.pedestal), 0.0);
        QVERIFY(std::abs(open.rateOf(open.pedestal + 100) - 100 * open.gain / open.seconds) < 1e-9);
        const Rescale rate = open.toRate(false), part = open.toRate(true);
        const double adu = open.pedestal + 777;
        QVERIFY(std::abs((adu - static_cast<double>(rate.zero)) * static_cast<double>(rate.factor) - open.rateOf(adu)) < 1e-4);
        QVERIFY(std::abs((adu / open.fullScale - static_cast<double>(part.zero)) * static_cast<double>(part.factor) - open.rateOf(adu)) < 1e-2);
    }

    /// What the header says too may go from the trial.
    void aFactThatTheHeaderHasIsNotMissed() {
        Run silent = run();
        const OpenRun before = opened(silent);
        silent.sub_exposure_s.reset(), silent.sub_count.reset(), silent.start.clear();
        const OpenRun after = opened(silent);
        QCOMPARE(after.seconds, before.seconds);
        QCOMPARE(after.conditions.total_s.value_or(-1), before.conditions.total_s.value_or(-2));
        QVERIFY(after.conditions.sky.has_value() == before.conditions.sky.has_value());
    }

    void whereBothSpeakTheTrialWinsAndTheConflictIsTold() {
        QVERIFY(!has(opened(run()), flag::headerConflict));
        Run other = run();
        other.sub_exposure_s = 2 * *opened(run()).conditions.sub_exposure_s;
        const OpenRun open = opened(other);
        QCOMPARE(open.seconds, *other.sub_exposure_s);
        QVERIFY(has(open, flag::headerConflict) && !open.conditions.conflicts.empty());
    }

    void aSumSpansAllItsSubs() {
        Run sum = run();
        const OpenRun mean = opened(sum);
        sum.combine = combined_by::sum;
        const OpenRun all = opened(sum);
        QCOMPARE(all.seconds, *mean.conditions.total_s);
        QVERIFY(all.knownSaturation > mean.knownSaturation);
    }

    void aFileThatIsNotThereIsNamed() {
        Run gone = run();
        gone.stack = "gone.fits";
        const auto open = openRun(m_trial, gone, m_folder / "trial");
        QVERIFY(!open && open.error().message.find("gone.fits") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(RunFactsTest)
#include "run_facts_test.moc"
