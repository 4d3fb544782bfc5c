#include "app/bench/score_panel.h"
#include "app/bench/welcome.h"
#include "app/results_shelf.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QAction>
#include <QComboBox>
#include <QDir>
#include <QMenuBar>
#include <QPushButton>

using namespace caelumen;
namespace fs = std::filesystem;

/// What becomes of a trial whose files move, change or are bad, and of work that was done before; in the real window.
class BenchFilesTest : public QObject, private BenchFixture {
    Q_OBJECT

    /// Frames of the trial's own, to be spoilt.
    QString copyOfTrial(const char* name) {
        fs::copy(m_folder / "trial", m_folder / name, fs::copy_options::recursive);
        return at(QString(name) + "/trial.json");
    }
    double figure(const char* run) { return session().results()->headline(run, "background")->value; }

private slots:
    void initTestCase() { makeScene(640); }

    void init() { openWindow(); }

    void cleanup() { m_window.reset(); }

    /// What was measured is not measured again: results that are put onto the shelf in their place are shown.
    void whatWasMeasuredIsKept() {
        drop({copyOfTrial("kept")});
        QVERIFY(settled());
        const double measured = figure("B");
        const QString name = ResultsShelf::nameOf(session().trial());
        const auto kept = ResultsShelf::find(name);
        QVERIFY(kept);
        QCOMPARE(jsonText(resultsToJson(*kept)), jsonText(resultsToJson(*session().results())));
        TrialResults other = *kept;
        for (Measurement& m : other.measurements)
            if (m.run == "B" && m.quantity == "background") m.value = 77;
        ResultsShelf::keep(name, other);
        m_window->openCampaign(session().campaign()->path());
        QVERIFY(settled());
        QCOMPARE(figure("B"), 77.0);
        QVERIFY(session().results()->evidence); // plots are there too
        // A title or a price changes no figure; an exposure does.
        Trial changed = session().trial();
        changed.title = "another title";
        QCOMPARE(ResultsShelf::nameOf(changed), name);
        changed.runs[1].sub_exposure_s = 17;
        QVERIFY(ResultsShelf::nameOf(changed) != name);
        QTest::keyClick(m_window.get(), Qt::Key_F5); // measured again because somebody asks for it
        QVERIFY(QTest::qWaitFor([&] { return session().results() && figure("B") == measured; }, 120'000));
        // Damaged ones are measured again, without a word.
        QFile file(ResultsShelf::folder() + "/" + name);
        QVERIFY(file.open(QIODevice::ReadWrite));
        file.seek(file.size() / 2);
        file.write("xxxxxxxx");
        file.close();
        QVERIFY(!ResultsShelf::find(name));
    }

    void aFileThatChangesIsReadAnew() {
        drop({copyOfTrial("changing")});
        QVERIFY(settled());
        QVERIFY(QTest::qWaitFor([&] { return session().picture("B") != nullptr; }, 30'000));
        const double before = figure("B"), c = figure("C");
        const auto picture = session().picture("B");
        QVERIFY(std::abs(before / c - 1) > 0.02);
        const auto bytes = readBytes(m_folder / "changing/C.fits", 1U << 28U);
        QVERIFY(writeFile(m_folder / "changing/B.fits", std::string_view(bytes->data(), bytes->size())).ok());
        QVERIFY(QTest::qWaitFor([&] { return session().results() && std::abs(figure("B") / before - 1) > 0.01 && session().resultsAreCurrent(); }, 60'000));
        QVERIFY(QTest::qWaitFor([&] { return session().picture("B") && session().picture("B") != picture; }, 30'000));
    }

    void movedStacksAreFoundAgain() {
        const QString json = copyOfTrial("leaving");
        drop({json});
        QVERIFY(settled());
        const double before = figure("B");
        const QString campaign = session().campaign()->path();
        m_window->openCampaign(at("elsewhere.caelumen"));
        fs::rename(m_folder / "leaving", m_folder / "arrived");
        m_window->openCampaign(campaign);
        QVERIFY(QTest::qWaitFor([&] { return !session().whyNoPicture("B").isEmpty(); }, 30'000));
        m_answers->save = at("arrived/B.fits");
        bench().askStack("B");
        // One is told, the others lie beside it.
        for (const Run& run : session().trial().runs) QVERIFY2(run.stack.find("arrived") != std::string::npos, run.stack.c_str());
        QVERIFY(settled());
        QCOMPARE(figure("B"), before);
        session().undoStack().undo();
        QVERIFY(session().trial().runs[0].stack.find("leaving") != std::string::npos);
    }

    void oneBadFrameStopsNoOther() {
        QFile bad(at("bad.fits"));
        QVERIFY(bad.open(QIODevice::WriteOnly));
        bad.write("no picture at all");
        bad.close();
        drop({at("trial/A.fits"), at("bad.fits"), at("trial/B.fits")});
        QVERIFY(QTest::qWaitFor([&] { return session().hasTrial() && session().trial().runs.size() == 2; }, 30'000));
        QVERIFY(QTest::qWaitFor([&] { return problem().contains("bad.fits"); }, 10'000));
        QVERIFY(settled());
    }

    void aRemovedTrialComesBack() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const Trial trial = session().trial();
        session().removeTrial();
        QVERIFY(!session().hasTrial());
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(session().hasTrial());
        QVERIFY(session().trial() == trial);
        QVERIFY(session().removedTrial().isEmpty());
        QVERIFY(settled());
    }

    void markersStayWhenARunGoes() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const FilterStyle before = bench().panel("nebula")->rows().back().style;
        bench().removeRun("B");
        QCOMPARE(bench().panel("nebula")->rows().size(), std::size_t{2});
        const FilterStyle after = bench().panel("nebula")->rows().back().style;
        QVERIFY(before.colour == after.colour && before.shape == after.shape);
        session().undoStack().undo();
    }

    void trialsOfOneNameAreToldApart() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        Trial other = session().trial();
        other.site.name = "Another hill";
        QVERIFY(session().addTrial(other).ok());
        auto* box = byName<QComboBox>(*m_window, "Trial");
        QCOMPARE(box->count(), 2);
        QVERIFY2(box->itemText(0) != box->itemText(1) && box->itemText(1).contains("Another hill"), qPrintable(box->itemText(1)));
        // Regions of the first go over to the second, by their stars.
        Trial bare = other;
        bare.regions = {other.regions.front()};
        session().edit("fewer regions", bare);
        QVERIFY(settled());
        QCOMPARE(bench().trialsToCopyFrom().size(), std::size_t{1});
        bench().copyRegionsFrom(bench().trialsToCopyFrom().front().id);
        QVERIFY(QTest::qWaitFor([&] { return session().trial().regions.size() > 1; }, 60'000));
        QCOMPARE(session().trial().regions.size(), other.regions.size() + 1);
        const Point there = session().trial().regions.back().centre(), here = other.regions.back().centre();
        QVERIFY(std::hypot(there.x - here.x, there.y - here.y) < 0.5);
    }

    void anEmptyBenchOffersWhatToDo() {
        Welcome& welcome = bench().welcome();
        QVERIFY(welcome.isVisible());
        const auto press = [&](const QString& text) {
            for (QPushButton* b : welcome.findChildren<QPushButton*>())
                if (b->text().startsWith(text) && b->isVisible()) return QTest::mouseClick(b, Qt::LeftButton);
        };
        m_answers->save = at("quite-new");
        press("New campaign");
        QVERIFY(session().campaign()->path().endsWith("quite-new.caelumen"));
        m_answers->save = at("not-there.caelumen");
        press("Open a campaign");
        QVERIFY(problem().contains("not-there"));
        QVERIFY(!QFile::exists(at("not-there.caelumen"))); // a slip makes no campaign
        QVERIFY(session().campaign()->path().endsWith("quite-new.caelumen"));
        QTest::qWait(50);
        press("anEmptyBenchOffersWhatToDo"); // among the recent ones
        QVERIFY2(session().campaign()->path().endsWith("anEmptyBenchOffersWhatToDo.caelumen"), qPrintable(session().campaign()->path()));
        m_answers->frames = {at("trial/A.fits"), at("trial/B.fits")};
        press("Choose frames");
        QVERIFY(QTest::qWaitFor([&] { return session().hasTrial(); }, 30'000));
        QVERIFY(!welcome.isVisible());
    }
};

CAELUMEN_WINDOW_TEST(BenchFilesTest)
#include "bench_files_test.moc"
