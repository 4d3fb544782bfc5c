#include "app/bench/evidence_plot.h"
#include "app/bench/fairness_list.h"
#include "app/bench/lane_list.h"
#include "app/bench/score_panel.h"
#include "app/demo_campaign.h"
#include "app/facts_dialog.h"
#include "app/results_shelf.h"
#include "core/base/file.h"
#include "core/compare/evidence.h"
#include "core/model/trial_json.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QPushButton>
#include <QSettings>
#include <QTimer>
#include <qcustomplot.h>

using namespace caelumen;

/// The real window, from dropped frames to an exported page, driven by mouse, keys and drops.
class BenchWorkflowTest : public QObject, private BenchFixture {
    Q_OBJECT

private slots:
    void initTestCase() { makeScene(800); }

    void init() { openWindow(); }

    void cleanup() { m_window.reset(); }

    void dropLookAnswer() {
        drop({at("trial/A.fits"), at("trial/B.fits")});
        QVERIFY(QTest::qWaitFor([&] { return session().hasTrial() && !session().trial().regions.empty(); }, 120'000));
        QVERIFY(settled());
        // Everything guessed is marked as guessed.
        QCOMPARE(session().trial().runs.size(), std::size_t{2});
        QVERIFY(session().trial().runs[0].baseline);
        for (const Region& r : session().trial().regions) QVERIFY(r.guessed);
        QVERIFY(session().results()->headline("B", "time_ratio"));
        QVERIFY(session().results()->headline("B", "background_mag"));
        QVERIFY(session().results()->headline("B", "colour_slope"));
        QVERIFY(session().results()->headline("B", "gradient"));
        QVERIFY(session().results()->headline("B", "halo_depth"));
        QCOMPARE(bench().lanes().model()->rowCount(), 2);
        QVERIFY(session().picture("A") && session().picture("B"));
        // And it is in the file already.
        auto other = Campaign::open(session().campaign()->path());
        QVERIFY(other.ok());
        QCOMPARE((*other)->trials()->size(), std::size_t{1});
    }

    void oneMoreFrameJoinsTheTrial() {
        m_answers->frames = {at("trial/A.fits"), at("trial/B.fits")};
        QTest::keyClick(m_window.get(), Qt::Key_N, Qt::ControlModifier);
        QVERIFY(settled());
        drop({at("trial/C.fits")});
        QVERIFY(QTest::qWaitFor([&] { return session().trial().runs.size() == 3; }, 60'000));
        QVERIFY(settled());
        QVERIFY(session().results()->headline("C", "background"));
        session().undoStack().undo();
        QCOMPARE(session().trial().runs.size(), std::size_t{2});
    }

    void regionsAreEditedWithUndoAndFiguresFollow() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        FrameView& view = bench().view();
        const double before = session().results()->headline("B", "nebula_signal", "N1")->value;
        const Point centre = region("N1")->points[0];
        QTest::mouseClick(&view, Qt::LeftButton, {}, viewOf(centre));
        QTest::mouseClick(bench().tools().widgetForAction(bench().tools().actions().constFirst()), Qt::LeftButton); // the focus elsewhere
        QCOMPARE(view.selected(), QString("N1"));
        view.fitFrame();
        QTest::mousePress(&view, Qt::LeftButton, {}, viewOf(centre));
        QTest::mouseMove(&view, viewOf({centre.x + 40, centre.y + 25}));
        QTest::mouseRelease(&view, Qt::LeftButton, {}, viewOf({centre.x + 40, centre.y + 25}));
        QVERIFY(std::abs(region("N1")->points[0].x - centre.x - 40) < 2);
        QVERIFY(!session().resultsAreCurrent());
        QVERIFY(settled());
        QVERIFY(session().results()->headline("B", "nebula_signal", "N1")->value != before);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(region("N1")->points[0] == centre);
        QVERIFY(settled());
        QCOMPARE(session().results()->headline("B", "nebula_signal", "N1")->value, before);
        // Draw, rename, delete.
        QTest::keyClick(&bench(), Qt::Key_S);
        QVERIFY((view.tool() == RegionKind{RegionRole::Sky, RegionShape::Rect}));
        QTest::mousePress(&view, Qt::LeftButton, {}, viewOf({300, 40}));
        QTest::mouseMove(&view, viewOf({360, 90}));
        QTest::mouseRelease(&view, Qt::LeftButton, {}, viewOf({360, 90}));
        QVERIFY(region("S5"));
        QCOMPARE(view.selected(), QString("S5"));
        QVERIFY(!view.tool());
        m_answers->name = "above the cloud";
        QTest::keyClick(m_window.get(), Qt::Key_F2);
        QCOMPARE(region("S5")->name, std::string("above the cloud"));
        QTest::keyClick(m_window.get(), Qt::Key_Delete);
        QVERIFY(!region("S5"));
        session().undoStack().undo();
        QVERIFY(region("S5"));
    }

    void aFigureLeadsToItsPixelsAndPlot() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        for (const char* score : {"nebula", "background", "halo", "colour", "gradient", "artefacts"}) {
            ScorePanel* panel = bench().panel(score);
            QVERIFY(panel);
            // The second row of the panel: run B.
            QTest::mouseClick(panel, Qt::LeftButton, {}, panel->rowRect("B").center());
            QCOMPARE(bench().currentScore(), QString(score));
            QCOMPARE(bench().view().current(), QString("B"));
            QVERIFY2(bench().evidence().plot()->isVisible(), score);
            QVERIFY(bench().evidence().csv().count('\n') > 3);
            // What is drawn lies near the plot: a painter would fill every line of what reaches far beyond it.
            const QCustomPlot& plot = *bench().evidence().plot();
            const QCPRange range = plot.yAxis->range();
            for (int g = 0; g < plot.graphCount(); ++g)
                for (const QCPGraphData& d : *plot.graph(g)->data())
                    QVERIFY(d.value >= range.lower - 1.01 * range.size() && d.value <= range.upper + 1.01 * range.size());
        }
        bench().showEvidence("nebula", "C");
        const Point middle = bench().view().toFrame(bench().view().pictureOf("C").center());
        QVERIFY(std::hypot(middle.x - region("N1")->points[0].x, middle.y - region("N1")->points[0].y) < 2);
        QCOMPARE(bench().lanes().currentRun(), QString("C"));
    }

    void keysFlipTheLanesTogether() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        bench().view().setFocus();
        QTest::keyClick(&bench().view(), Qt::Key_3);
        QCOMPARE(bench().lanes().currentRun(), QString("C"));
        QTest::keyClick(&bench().view(), Qt::Key_1);
        QCOMPARE(bench().lanes().currentRun(), QString("A"));
        QTest::keyClick(&bench(), Qt::Key_T);
        QVERIFY(bench().tools().stretchMode() == StretchMode::OwnSky);
    }

    void factsAreCorrected() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const double before = session().results()->headline("B", "background")->value;
        whenAsked<RunFactsDialog>([](RunFactsDialog& dialog) {
            auto* exposure = byName<QLineEdit>(dialog, "Sub exposure (s)");
            QVERIFY(exposure);
            exposure->setText("nonsense");
            dialog.accept();
            QVERIFY(dialog.isVisible()); // refused, in words
            exposure->setText("90");
            dialog.accept();
        });
        bench().view().setCurrent("B");
        QTest::keyClick(m_window.get(), Qt::Key_R, Qt::ControlModifier);
        QCOMPARE(*session().trial().run("B")->sub_exposure_s, 90.0);
        QVERIFY(settled());
        QVERIFY(std::abs(session().results()->headline("B", "background")->value / before - 2) < 0.01);
        QVERIFY(session().results()->headline("B", "background")->flagged("header-conflict"));
        bool told = false;
        for (int i = 0; i < bench().fairness().count(); ++i) told = told || bench().fairness().item(i)->text().contains("exposure");
        QVERIFY(told);
    }

    void anotherBaselineCarriesTheRegions() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const Point centre = region("N1")->points[0];
        const Point there = session().alignmentOf("B").map(centre);
        bench().setBaseline("B");
        QVERIFY(std::hypot(region("N1")->points[0].x - there.x, region("N1")->points[0].y - there.y) < 1e-6);
        QVERIFY(settled());
        QCOMPARE(session().results()->baseline, std::string("B"));
        session().undoStack().undo();
        QVERIFY(region("N1")->points[0] == centre);
    }

    void comparisonsAreExported() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        for (const char* ending : {"html", "pdf", "csv", "json"}) {
            m_answers->save = at("out/comparison");
            QDir().mkpath(at("out"));
            m_window->exportComparison(ending);
            const QString path = at("out/comparison.") + ending;
            QVERIFY2(QTest::qWaitFor([&] { return QFile::exists(path) && !session().jobs().busy(); }, 60'000), ending);
            QVERIFY(m_answers->suggested.endsWith(ending));
        }
        QVERIFY(readText(m_folder / "out/comparison.html")->find("<svg") != std::string::npos);
        QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(QGuiApplication::clipboard()->text().count('\n') == 4);
        m_answers->save = at("no/such/folder/x.csv");
        m_window->exportComparison("csv");
        QVERIFY(QTest::qWaitFor([&] { return problem().contains("x.csv"); }, 10'000));
        // Neither over the campaign nor over a frame of the trial.
        for (const QString& precious : {session().campaign()->path(), QString::fromStdString(session().trial().runs[0].stack)}) {
            const auto before = readBytes(precious.toStdString(), 1U << 28U);
            m_answers->save = precious;
            m_window->exportComparison("csv");
            QVERIFY2(problem().contains(precious) && problem().contains("which is read"), qPrintable(problem()));
            QVERIFY(!session().jobs().busy());
            QCOMPARE(*readBytes(precious.toStdString(), 1U << 28U), *before);
        }
    }

    /// A name that a spreadsheet would obey stays a name.
    void copiedTablesAreHarmless() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        Trial changed = session().trial();
        changed.filters[1].name = "=HYPERLINK(1)\tx";
        session().edit("rename", changed);
        QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
        const QStringList lines = QGuiApplication::clipboard()->text().split('\n');
        QVERIFY2(lines[2].contains("\t'=HYPERLINK(1) x\t"), qPrintable(lines[2]));
        QCOMPARE(lines[2].count('\t'), lines[1].count('\t'));
    }

    /// Frames that are gone are told where they would be seen; nothing waits for ever.
    void framesThatAreGoneAreTold() {
        Trial trial = *readTrial(m_folder / "trial/trial.json");
        resolveFiles(trial, m_folder / "trial");
        for (Run& run : trial.runs) run.stack += ".gone";
        QVERIFY(session().addTrial(trial).ok());
        QVERIFY(QTest::qWaitFor([&] { return !session().whyNotMeasured().isEmpty() && !session().jobs().busy(); }, 30'000));
        QVERIFY(session().whyNotMeasured().contains(".gone"));
        QVERIFY(session().whyNoPicture("A").contains(".gone"));
        bool said = false;
        for (const QLabel* label : bench().findChildren<QLabel*>()) said = said || label->text().startsWith("Not measured:");
        QVERIFY(said);
        QVERIFY(!m_window->grab().isNull());
    }

    void badDropsAreToldAndLoseNothing() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const Trial before = session().trial();
        drop({at("trial/truth.json")});
        QVERIFY(problem().contains("truth.json"));
        QFile notes(at("notes.fits"));
        QVERIFY(notes.open(QIODevice::WriteOnly));
        notes.write("not a picture");
        notes.close();
        drop({at("notes.fits")});
        QVERIFY(QTest::qWaitFor([&] { return problem().contains("notes.fits"); }, 10'000));
        drop({at("missing.caelumen-not")});
        QVERIFY(session().trial() == before);
    }

    void campaignsReopenWhereTheyWere() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        const QString path = session().campaign()->path();
        Trial changed = session().trial();
        changed.title = "Second look";
        session().edit("rename", changed);
        m_answers->save = at("copy-of-it");
        QVERIFY(session().saveCampaignAs(at("copy-of-it.caelumen")).ok());
        QCOMPARE(QString::fromStdString(session().trial().title), QString("Second look"));
        m_window->openCampaign(path);
        QCOMPARE(QString::fromStdString(session().trial().title), QString("Second look"));
        QVERIFY(session().trial().regions == changed.regions);
        QVERIFY(QSettings().value("recent").toStringList().contains(path));
        QVERIFY(settled());
        session().removeTrial();
        QVERIFY(!session().hasTrial());
        QVERIFY(!m_window->grab().isNull());
    }

    void longWorkCanBeCancelled() {
        QDir(ResultsShelf::folder()).removeRecursively(); // measured in other tests
        drop({at("trial/trial.json")});
        QVERIFY(QTest::qWaitFor([&] { return session().jobs().busy(); }, 10'000));
        QPushButton* cancel = nullptr;
        for (QPushButton* b : m_window->menuBar()->findChildren<QPushButton*>())
            if (b->text() == "Cancel") cancel = b;
        QVERIFY(cancel);
        QVERIFY(QTest::qWaitFor([&] { return cancel->isVisible(); }, 5'000));
        QTest::mouseClick(cancel, Qt::LeftButton);
        QVERIFY(QTest::qWaitFor([&] { return !session().jobs().busy(); }, 30'000));
        QVERIFY(!session().results());
        QTest::keyClick(m_window.get(), Qt::Key_F5);
        QVERIFY(settled());
    }

    void everyThemeDrawsAndRedHasNoBlue() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        for (const ThemeKind kind : {ThemeKind::Light, ThemeKind::Red}) {
            m_window->setTheme(kind);
            for (const bool made : {false, true}) { // at once, and with the pictures made anew
                if (made) bench().view().finish();
                const QImage shot = m_window->grab().toImage();
                QVERIFY(!shot.isNull());
                if (kind == ThemeKind::Red) QVERIFY2(glareIn(shot) < 40, qPrintable(QString::number(glareIn(shot))));
            }
        }
        m_window->setTheme(ThemeKind::Grey);
        m_window->resize(1100, 700);
        QVERIFY(m_window->width() <= 1100);
        m_window->showKeys();
        QVERIFY(m_window->keysDialog()->isVisible());
    }
};

CAELUMEN_WINDOW_TEST(BenchWorkflowTest)
#include "bench_workflow_test.moc"
