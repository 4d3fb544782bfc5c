#include "core/base/json.h"
#include "core/compare/measure_trial.h"
#include "core/compare/star_memory.h"
#include "core/image/fits_writer.h"
#include "support/scenes.h"

#include <QTest>

using namespace caelumen;
namespace fs = std::filesystem;

/// Stars that are remembered must give the same figures as stars found anew, and nothing stale may be remembered.
class StarMemoryTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    SimulatedTrial m_simulated;

    fs::path folder() const { return m_folder.path() / "trial"; }
    std::string measured(const Trial& trial, StarMemory* memory) const {
        const auto r = measureTrial(trial, folder(), {}, memory);
        return r ? jsonText(resultsToJson(*r), 1) : r.error().message;
    }
    OpenRun opened(const Trial& trial, std::size_t run) const {
        auto r = openRun(trial, trial.runs[run], folder());
        if (!r) qFatal("%s", r.error().message.c_str());
        return std::move(*r);
    }

private slots:
    void initTestCase() {
        m_simulated = scenes::smallTrial({"open", "duo7", "duo3"}, 480);
        QVERIFY(writeTrial(m_simulated, m_folder.path()).ok());
    }

    // Other regions, another baseline, another order and fewer runs, each time against a measurement without any memory.
    void figuresAreTheSameToTheLastDigit() {
        StarMemory memory;
        std::vector<Trial> trials{m_simulated.trial, m_simulated.trial, m_simulated.trial, m_simulated.trial, m_simulated.trial, m_simulated.trial};
        trials[1].regions.clear();
        trials[2].regions[0].points[0].x += 25;
        for (Run& r : trials[3].runs) r.baseline = r.id == "B";
        std::swap(trials[4].runs[1], trials[4].runs[2]);
        trials[5].runs.pop_back();
        for (std::size_t i = 0; i < trials.size(); ++i) {
            const std::string fresh = measured(trials[i], nullptr);
            QVERIFY2(measured(trials[i], &memory) == fresh, qPrintable(QString("trial %1").arg(i)));
            if (i < 3) QVERIFY2(measured(trials[i], &memory) == fresh, qPrintable(QString("trial %1, all known").arg(i)));
        }
    }

    void factsThatChangeRatesAreNotRemembered() {
        const std::string before = surveyKey(opened(m_simulated.trial, 1), 1);
        StarMemory memory;
        measured(m_simulated.trial, &memory);
        QVERIFY(before != surveyKey(opened(m_simulated.trial, 1), 2) && before != surveyKey(opened(m_simulated.trial, 2), 1));
        for (const auto& change : std::vector<std::function<void(Trial&)>>{
                 [](Trial& t) { t.rig.gain_e_per_adu = 1.3; }, [](Trial& t) { t.runs[1].rig.pedestal_adu = 30; },
                 [](Trial& t) { t.runs[1].sub_exposure_s = 90; }, [](Trial& t) { t.rig.full_well_e = 20000; }, [](Trial& t) { t.runs[1].combine = "sum"; }}) {
            Trial changed = m_simulated.trial;
            change(changed);
            QVERIFY(surveyKey(opened(changed, 1), 1) != before);
            QVERIFY(measured(changed, &memory) == measured(changed, nullptr));
        }
        Trial named = m_simulated.trial; // what does not count for pixels
        named.title = "Another", named.regions.clear();
        QVERIFY(surveyKey(opened(named, 1), 1) == before);
    }

    void aFileThatChangesIsReadAgain() {
        StarMemory memory;
        const std::string before = measured(m_simulated.trial, &memory);
        const fs::path stack = folder() / m_simulated.trial.runs[2].stack, other = folder() / m_simulated.trial.runs[1].stack;
        fs::copy_file(other, stack, fs::copy_options::overwrite_existing);
        const std::string after = measured(m_simulated.trial, &memory);
        QVERIFY(after != before && after == measured(m_simulated.trial, nullptr));
    }

    void onlyTheTrialInHandIsKept() {
        StarMemory memory;
        measured(m_simulated.trial, &memory);
        const std::string third = surveyKey(opened(m_simulated.trial, 2), 0);
        QVERIFY(memory.find(third));
        Trial fewer = m_simulated.trial;
        fewer.runs.pop_back();
        measured(fewer, &memory);
        QVERIFY(!memory.find(third) && memory.find(surveyKey(opened(fewer, 0), 0)));
    }
};

QTEST_GUILESS_MAIN(StarMemoryTest)
#include "star_memory_test.moc"
