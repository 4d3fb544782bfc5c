#include "app/log/entry_panel.h"
#include "app/log/equipment_page.h"
#include "app/log/hours_page.h"
#include "app/log/log_room.h"
#include "app/log/merge_page.h"
#include "app/log/practice_page.h"
#include "app/log/timeline_plot.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QDir>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSlider>
#include <QTabWidget>
#include <QTableView>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTimer>

using namespace caelumen;

/// The log in the real window, with a trial that was measured on the Bench.
class LogTest : public QObject, BenchFixture {
    Q_OBJECT

    LogRoom& log() { return m_window->log(); }
    int rows() { return log().table().model()->rowCount(); }
    QString cell(int row, LogTable::Column column) { return log().table().model()->index(row, column).data().toString(); }
    void click(QWidget* w) { QTest::mouseClick(w, Qt::LeftButton); }
    void clickRow(int row, Qt::KeyboardModifiers keys = {}) {
        QTableView& t = log().table();
        QTest::mouseClick(t.viewport(), Qt::LeftButton, keys, t.visualRect(t.model()->index(row, 1)).center());
    }
    QPushButton* button(const QString& text) {
        for (QPushButton* b : log().findChildren<QPushButton*>())
            if (b->text() == text && b->isVisible()) return b;
        return nullptr;
    }
    void tab(const QString& name) {
        for (int i = 0; i < log().tabs().count(); ++i)
            if (log().tabs().tabText(i) == name) QTest::mouseClick(log().tabs().tabBar(), Qt::LeftButton, {}, log().tabs().tabBar()->tabRect(i).center());
        QCOMPARE(log().tabs().tabText(log().tabs().currentIndex()), name);
    }
    void showLog() {
        QTest::keyClick(m_window.get(), Qt::Key_8, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Log);
    }

private slots:
    void initTestCase() { makeScene(480); }

    void init() {
        QFile::remove(LogStore::defaultPath());
        for (const char* more : {"-wal", "-shm"}) QFile::remove(LogStore::defaultPath() + more);
        QSettings().clear();
        openWindow();
    }
    void cleanup() { m_window.reset(); }

    /// The trial on the Bench, measured, and noted by the log.
    void measured() {
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        showLog();
        QTRY_VERIFY_WITH_TIMEOUT(rows() == 3 && log().model().entry(log().model().all().front().uid)->figures.size() > 2, 20'000);
    }

    void whatIsMeasuredIsInTheLog() {
        measured();
        QVERIFY(cell(0, LogTable::FilterName).size() > 2);
        bool faster = false;
        for (int r = 0; r < 3; ++r) faster = faster || !cell(r, LogTable::Faster).isEmpty();
        QVERIFY(faster);
        clickRow(1);
        QVERIFY(log().entry().page().toPlainText().contains("Background"));
        // Another window of the program finds it again.
        m_window.reset();
        openWindow();
        showLog();
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 3, 10'000);
    }

    void wordsFindRunsAndSearchesAreKept() {
        measured();
        QTest::keyClick(m_window.get(), Qt::Key_F, Qt::ControlModifier);
        QVERIFY(log().search().hasFocus());
        const QString name = cell(0, LogTable::FilterName);
        QTest::keyClicks(&log().search(), "filter:\"" + name + "\"");
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 1, 3000);
        m_answers->name = "my favourite";
        for (QToolButton* b : log().findChildren<QToolButton*>())
            if (b->text() == "Keep this search") click(b);
        QCOMPARE(log().searches().count(), 2);
        QTest::keyClick(&log().search(), Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&log().search(), "nothing-is-called-this");
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 0, 3000);
        QTest::mouseClick(log().searches().viewport(), Qt::LeftButton, {}, log().searches().visualItemRect(log().searches().item(1)).center());
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 1, 3000);
        QTest::keyClick(&log().searches(), Qt::Key_Delete);
        QCOMPARE(log().searches().count(), 1);
        QTest::mouseClick(log().searches().viewport(), Qt::LeftButton, {}, log().searches().visualItemRect(log().searches().item(0)).center());
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 3, 3000);
    }

    void tagsAndNotesStayAndAreFound() {
        measured();
        clickRow(0);
        const QString filter = cell(0, LogTable::FilterName);
        QTest::keyClicks(&log().entry().tags(), "lent, dusty");
        QTest::keyClick(&log().entry().tags(), Qt::Key_Return);
        click(&log().entry().notes());
        QTest::keyClicks(&log().entry().notes(), "dew from midnight");
        log().table().setFocus();
        QTRY_COMPARE(cell(0, LogTable::Tags), QString("lent, dusty"));
        log().search().setText("tag:dusty note:dew");
        QTRY_VERIFY_WITH_TIMEOUT(rows() == 1 && cell(0, LogTable::FilterName) == filter, 3000);
        // They outlive another measurement.
        log().search().clear();
        session().measureNow(true);
        QVERIFY(settled());
        QTest::qWait(2500);
        log().search().setText("tag:dusty");
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 1, 3000);
    }

    void aRunOpensOnTheBench() {
        measured();
        clickRow(2);
        const QString run = cell(2, LogTable::TrialName).right(1);
        click(&log().entry().open());
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        QCOMPARE(bench().view().current(), run);
    }

    void twoRunsOfWhateverTrialsAreCompared() {
        measured();
        clickRow(0);
        clickRow(2, Qt::ControlModifier);
        QCOMPARE(log().entry().compare().text(), QString("Compare these two"));
        const auto before = session().trials().size();
        click(&log().entry().compare());
        QTRY_COMPARE_WITH_TIMEOUT(session().trials().size(), before + 1, 10'000);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        QCOMPARE(session().trial().runs.size(), std::size_t(2));
        QVERIFY(session().trial().baseline() && session().trial().title.find("against") != std::string::npos);
        QVERIFY(settled());
        QVERIFY(session().results()->measurements.size() > 10);
        // An old one beside the trial in hand.
        showLog();
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 5, 20'000);
        int other = -1;
        for (int r = 0; r < rows(); ++r)
            if (!cell(r, LogTable::TrialName).contains("against")) other = r;
        clickRow(other);
        QCOMPARE(log().entry().compare().text(), QString("Put it beside the trial in hand"));
        click(&log().entry().compare());
        QTRY_COMPARE_WITH_TIMEOUT(session().trial().runs.size(), std::size_t(3), 10'000);
        session().undoStack().undo();
        QCOMPARE(session().trial().runs.size(), std::size_t(2));
    }

    void aFolderOfOldStacksIsImportedFromHeaders() {
        const QString folder = at("old");
        QDir().mkpath(folder + "/2019");
        for (const char* name : {"A", "B"})
            for (const QFileInfo& f : QDir(at("trial")).entryInfoList({QString("*%1*.fits").arg(name)}, QDir::Files))
                QFile::copy(f.filePath(), folder + "/2019/" + f.fileName());
        QVERIFY(writeFile((folder + "/broken.fits").toStdString(), "SIMPLE  = nothing").ok());
        const int stacks = static_cast<int>(QDir(folder + "/2019").entryList({"*.fits"}).size());
        QVERIFY(stacks >= 2);
        showLog();
        drop({folder});
        QTRY_VERIFY_WITH_TIMEOUT(rows() >= 2, 20'000);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Log);
        QVERIFY(cell(0, LogTable::TrialName).endsWith(".fits"));
        clickRow(0);
        QVERIFY(log().entry().page().toPlainText().contains("Not measured"));
        click(&log().entry().open());
        QTRY_VERIFY_WITH_TIMEOUT(session().hasTrial() && session().trial().runs.size() == 1, 20'000);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
    }

    /// By the menu too; runs are taken out only when that is confirmed, and frames and campaigns stay.
    void runsAreImportedAndTakenOutByTheMenu() {
        const QString folder = at("more");
        QDir().mkpath(folder);
        QVERIFY(QFile::copy(at("trial/A.fits"), folder + "/first.fits") && QFile::copy(at("trial/B.fits"), folder + "/second.fits"));
        showLog();
        const auto choose = [&](const QString& text) {
            for (QAction* a : log().findChildren<QAction*>())
                if (a->text().startsWith(text)) return a->trigger(), true;
            return false;
        };
        m_answers->place = QString(); // thought better of it
        QVERIFY(choose("Import a folder of old stacks"));
        m_answers->place = folder;
        QVERIFY(choose("Import a folder of old stacks"));
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 2, 20'000);
        QVERIFY(choose("Import a folder of old stacks")); // the same again: nothing comes twice
        QTest::qWait(1000);
        QCOMPARE(rows(), 2);
        clickRow(0);
        m_answers->yes = false;
        QVERIFY(choose("Take the chosen runs out of the log"));
        QCOMPARE(rows(), 2);
        m_answers->yes = true;
        QVERIFY(choose("Take the chosen runs out of the log"));
        QVERIFY(m_answers->question.contains("campaigns stay"));
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 1, 5000);
        QVERIFY(QFile::exists(folder + "/first.fits") && QFile::exists(folder + "/second.fits"));
    }

    /// One target's runs, whatever else the search finds; and all again.
    void runsOfOneTargetAreShown() {
        measured();
        Trial other = session().trial();
        other.title = "Another field", other.target = {};
        other.target.name = "NGC 104", other.target.ra_deg = 6.02, other.target.dec_deg = -72.08;
        QVERIFY(session().addTrial(other).ok());
        m_window->showWorkspace(MainWindow::Workspace::Bench);
        session().measureNow(true);
        QVERIFY(settled());
        showLog();
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 6, 20'000);
        for (int r = 0; r < 6; ++r)
            if (cell(r, LogTable::TrialName).startsWith("Another field")) {
                clickRow(r);
                break;
            }
        QVERIFY(log().entry().target().isEnabled());
        click(&log().entry().target());
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 3, 5000);
        for (int r = 0; r < 3; ++r) QVERIFY(cell(r, LogTable::TrialName).startsWith("Another field"));
        QCOMPARE(log().entry().target().text(), QString("All targets again"));
        click(&log().entry().target());
        QTRY_COMPARE_WITH_TIMEOUT(rows(), 6, 5000);
    }

    void hoursAndTimelineShowWhatIsFound() {
        measured();
        tab("Timeline");
        const std::string uid = log().model().all()[1].uid;
        if (!log().model().all()[1].night.empty()) {
            QTest::qWait(100);
            const QPoint place = log().timeline().placeOf(uid);
            QVERIFY(!place.isNull());
            QWidget* plot = log().timeline().findChild<QWidget*>();
            QTest::mouseClick(plot, Qt::LeftButton, {}, place);
            QVERIFY(log().entry().page().toPlainText().contains(QString::fromStdString(log().model().all()[1].filter)));
        }
        tab("Hours");
        QCOMPARE(log().hours().table().rowCount(), 4); // three filters and all
        QVERIFY(log().hours().text().contains("all\t3"));
        log().hours().rows().setCurrentIndex(2);
        emit log().hours().rows().activated(2); // by target
        QCOMPARE(log().hours().table().rowCount(), 2);
        log().hours().table().setFocus();
        QTest::keyClick(&log().hours().table(), Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QGuiApplication::clipboard()->text().startsWith("target\t"));
    }

    void theLifeOfAFilterIsKept() {
        measured();
        tab("Equipment");
        QVERIFY(log().equipment().things().count() >= 4);
        QTest::mouseClick(log().equipment().things().viewport(), Qt::LeftButton, {},
                          log().equipment().things().visualItemRect(log().equipment().things().item(1)).center());
        QVERIFY(log().equipment().words().text().contains("runs"));
        whenAsked<QDialog>([](QDialog& dialog) {
            for (QComboBox* what : dialog.findChildren<QComboBox*>())
                if (what->isEditable()) what->setCurrentText("scratched");
            dialog.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok)->click();
        });
        click(button("Add an event …"));
        QCOMPARE(log().equipment().table().rowCount(), 1);
        QCOMPARE(log().equipment().table().item(0, 1)->text(), QString("scratched"));
        log().equipment().table().selectRow(0);
        click(button("Remove"));
        QCOMPARE(log().equipment().table().rowCount(), 0);
    }

    void testersAreMergedAndAFileIsShared() {
        measured();
        tab("Merge");
        click(button("Add the trial in hand"));
        QCOMPARE(log().merge().testers().count(), 1);
        QVERIFY(log().merge().table().rowCount() > 3);
        // The same again is noticed.
        click(button("Add the trial in hand"));
        QCOMPARE(log().merge().testers().count(), 1);
        QVERIFY(problem().contains("counts once"));
        // Shared, then read by somebody else.
        m_answers->save = at("shared.json");
        whenAsked<QDialog>([](QDialog& dialog) {
            QVERIFY(dialog.objectName() == "shareDialog");
            QTest::keyClicks(dialog.findChild<QLineEdit*>("tester"), "Naledi");
            dialog.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok)->click();
        });
        click(button("Share the trial in hand …"));
        QTRY_VERIFY_WITH_TIMEOUT(QFileInfo::exists(at("shared.json")), 20'000);
        const auto shared = readJson(at("shared.json").toStdString());
        QVERIFY(shared.ok() && (*shared)["tester"] == "Naledi" && (*shared)["thumbnails"].size() == 3);
        QVERIFY(!QByteArray::fromStdString(jsonText(*shared)).contains(at("trial").toUtf8()));
        Json other = *shared;
        other["tester"] = "Pieter";
        for (Json& m : other["measurements"]) m["value"] = m["value"].get<double>() * 1.3;
        QVERIFY(writeFile(at("pieter.json").toStdString(), jsonText(other)).ok());
        other["tester"] = "Zodwa";
        for (Json& m : other["measurements"]) m["value"] = m["value"].get<double>() * 0.8;
        QVERIFY(writeFile(at("zodwa.json").toStdString(), jsonText(other)).ok());
        log().merge().testers().setCurrentRow(0);
        QTest::keyClick(&log().merge().testers(), Qt::Key_Delete);
        QCOMPARE(log().merge().testers().count(), 0);
        drop({at("shared.json"), at("pieter.json"), at("zodwa.json")});
        QTRY_COMPARE(log().merge().testers().count(), 3);
        QVERIFY(log().merge().testers().item(0)->text().contains("Naledi"));
        QVERIFY(!log().merge().testers().item(0)->icon().isNull());
        QVERIFY(!log().merge().merged().empty());
        bool three = false;
        for (const MergedFigure& f : log().merge().merged()) three = three || f.testers == 3;
        QVERIFY(three);
        // All quantities, then saved.
        const int few = log().merge().table().rowCount();
        log().merge().all().setChecked(true);
        QVERIFY(log().merge().table().rowCount() > few);
        for (const char* name : {"merged.json", "merged.csv"}) {
            m_answers->save = at(name);
            click(button("Save as …"));
            QVERIFY(QFileInfo::exists(at(name)));
        }
        QCOMPARE((*readJson(at("merged.json").toStdString()))["caelumen_merged"], 1);
        // What is no results file is told.
        QVERIFY(writeFile(at("letter.json").toStdString(), "{\"dear\": 1}").ok());
        m_answers->frames = {at("letter.json")};
        click(button("Add results …"));
        QTRY_VERIFY(problem().contains("letter.json"));
        QCOMPARE(log().merge().testers().count(), 3);
    }

    void theEyeIsPractised() {
        showLog();
        tab("Practice");
        PracticePage& page = log().practice();
        click(button("Begin"));
        QTRY_VERIFY_WITH_TIMEOUT(page.exercise() && !page.answered(), 20'000);
        click(button(page.exercise()->truth < 0 ? "The first" : "The second"));
        QVERIFY(page.answered() && page.words().text().contains("Right"));
        QVERIFY(page.summary().text().contains("1 of 1"));
        // The halo, drawn by hand.
        page.kinds().setCurrentIndex(1);
        emit page.kinds().activated(1);
        page.begin(ExerciseKind::Halo, 8);
        QTRY_VERIFY_WITH_TIMEOUT(page.exercise() && !page.answered(), 20'000);
        const QPointF star = page.view().placeOf(page.exercise()->star);
        const double scale = page.view().placeOf({page.exercise()->star.x + 1, page.exercise()->star.y}).x() - star.x();
        QTest::mousePress(&page.view(), Qt::LeftButton, {}, (star + QPointF(5, 0)).toPoint());
        QTest::mouseMove(&page.view(), (star + QPointF(page.exercise()->truth * scale, 0)).toPoint());
        QTest::mouseRelease(&page.view(), Qt::LeftButton, {}, (star + QPointF(page.exercise()->truth * scale, 0)).toPoint());
        QTest::mouseClick(&page.view(), Qt::LeftButton, {}, (star + QPointF(page.exercise()->truth * scale, 0)).toPoint());
        click(button("That is it"));
        QVERIFY2(page.words().text().contains("Right"), qPrintable(page.words().text()));
        // Answers are there next time.
        m_window.reset();
        openWindow();
        showLog();
        QTRY_COMPARE_WITH_TIMEOUT(log().model().answers().size(), std::size_t(2), 10'000);
    }

    void aLogThatIsNoneIsTold() {
        m_window.reset();
        QFile::remove(LogStore::defaultPath());
        for (const char* more : {"-wal", "-shm"}) QFile::remove(LogStore::defaultPath() + more);
        QFile file(LogStore::defaultPath());
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray(5000, 'x'));
        file.close();
        openWindow();
        showLog();
        QTRY_VERIFY_WITH_TIMEOUT(problem().contains("log.sqlite"), 5000);
        QVERIFY(file.open(QIODevice::ReadOnly) && file.readAll() == QByteArray(5000, 'x'));
    }
};

CAELUMEN_WINDOW_TEST(LogTest)
#include "log_test.moc"
