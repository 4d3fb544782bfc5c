#include "app/bench/bench.h"
#include "app/bench/frame_view.h"
#include "app/verdict/payoff_plot.h"
#include "app/verdict/profile_panel.h"
#include "app/verdict/ranking_view.h"
#include "app/verdict/report_panel.h"
#include "app/verdict/verdict_room.h"
#include "core/base/json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QComboBox>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QScrollArea>
#include <QSlider>
#include <QSpinBox>
#include <QTabWidget>
#include <QTextBrowser>
#include <QToolButton>
#include <QUndoStack>

using namespace caelumen;

/// The Verdict in the real window: profile, ranking, value, old against new, and the report.
class VerdictRoomTest : public QObject, protected KitFixture {
    Q_OBJECT

    VerdictRoom& room() { return m_window->verdict(); }
    ProfilePanel& panel() { return room().panel(); }
    const Verdict& verdict() { return *room().model().verdict(); }
    bool ready() {
        return QTest::qWaitFor(
            [this] { return room().model().verdict() && !room().model().busy() && !m_window->session().jobs().busy() && !room().report().busy(); }, 120'000);
    }
    void choose(QComboBox& box, int index) {
        box.setFocus();
        QTest::keyClick(&box, Qt::Key_Home);
        for (int i = 0; i < index; ++i) QTest::keyClick(&box, Qt::Key_Down);
        emit box.activated(box.currentIndex());
    }
    double scoreOf(const std::string& id) {
        for (const RankedFilter& f : verdict().ranking)
            if (f.id == id) return f.score;
        return 1e9;
    }

private slots:
    void initTestCase() { makeScene(); }
    void init() {
        openWindow();
        QTest::keyClick(m_window.get(), Qt::Key_7, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Verdict);
        QVERIFY(ready());
    }
    void cleanup() { m_window.reset(); }

    void everyFilterIsRankedAndTheBaselineToo() {
        QCOMPARE(room().ranking().rows().size(), std::size_t(3));
        double chances = 0;
        for (const RankingRow& r : room().ranking().rows()) chances += r.chance;
        QVERIFY(std::abs(chances - 1) < 1e-9);
        for (std::size_t i = 1; i < 3; ++i) QVERIFY(room().ranking().rows()[i - 1].value >= room().ranking().rows()[i].value);
        // The parts of a row add up to its score.
        for (const RankingRow& r : room().ranking().rows()) {
            double sum = 0;
            for (const double part : r.parts) sum += part;
            QVERIFY(std::abs(sum - *r.value) < 1e-9);
        }
        QTest::mouseClick(&room().ranking(), Qt::LeftButton, {}, room().ranking().placeOf(1).center().toPoint());
        QCOMPARE(room().ranking().chosen(), 1);
        QVERIFY(room().page().toPlainText().contains("score of " + room().ranking().rows()[1].name));
        QTest::keyClick(&room().ranking(), Qt::Key_Up);
        QCOMPARE(room().ranking().chosen(), 0);
    }

    void aRowLeadsToItsPixels() {
        room().ranking().choose(0);
        const QString id = room().ranking().rows()[0].id;
        room().ranking().setFocus();
        QTest::keyClick(&room().ranking(), Qt::Key_Return);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        const Run* run = m_window->session().trial().run(m_window->bench().view().current().toStdString());
        QVERIFY(run && QString::fromStdString(run->filter) == id);
    }

    void nothingOfTheProfileIsCutOff() { QVERIFY(panel().widget()->minimumSizeHint().width() <= panel().viewport()->width()); }

    void weightsFollowTheHandAndAreUndone() {
        const double before = scoreOf("duo3");
        QSlider& nebula = panel().weight(Merit::Nebula);
        nebula.setFocus();
        QTest::keyClick(&nebula, Qt::Key_Home); // it counts for nothing
        QTest::keyClick(&nebula, Qt::Key_Right);
        QTest::keyClick(&nebula, Qt::Key_Left);
        QVERIFY(ready());
        QVERIFY(room().model().profile().weights[0] == 0 && scoreOf("duo3") != before);
        QCOMPARE(m_window->session().undoStack().count(), 1); // one step
        m_window->session().undoStack().undo();
        QVERIFY(ready());
        QVERIFY(std::abs(scoreOf("duo3") - before) < 1e-12);
        QVERIFY(nebula.value() > 0);
        m_window->session().undoStack().redo();
        QVERIFY(ready());
        QCOMPARE(room().model().profile().weights[0], 0.0);
    }

    void readyProfilesAndSkies() {
        choose(panel().startBox(), 4); // galaxies
        QVERIFY(ready());
        QCOMPARE(room().model().profile().name, std::string("Galaxies"));
        QVERIFY(scoreOf("duo3") < scoreOf("open")); // a narrow filter is no filter for galaxies
        const std::size_t skies = room().model().profile().skies.size();
        for (QToolButton* b : panel().findChildren<QToolButton*>())
            if (b->text() == "Add a sky") QTest::mouseClick(b, Qt::LeftButton);
        QVERIFY(ready());
        QCOMPARE(room().model().profile().skies.size(), skies + 1);
        QVERIFY(room().page().toPlainText().contains("sum to 1.2")); // and that is said
        // Shares that do not sum to one are made to, without changing what was typed.
        double sum = 0;
        for (const ProfileSky& s : room().model().profile().skies) sum += s.share;
        QVERIFY(std::abs(sum - 1.2) < 1e-9);
        for (const RankedFilter& f : verdict().ranking) {
            double share = 0;
            for (const VerdictFigure& x : f.figures)
                if (x.merit == Merit::Nebula) share += x.share;
            QVERIFY(std::abs(share - 1) < 1e-9);
        }
    }

    void valueAndWhatIsOwned() {
        room().tabs().setCurrentIndex(1);
        auto* hours = byName<QSpinBox>(panel(), "Clear hours a year");
        QVERIFY(hours);
        hours->setFocus();
        hours->selectAll();
        QTest::keyClicks(hours, "200");
        QTest::keyClick(hours, Qt::Key_Return);
        choose(panel().ownedBox(), panel().ownedBox().findData("duo3"));
        QVERIFY(ready());
        QCOMPARE(room().model().profile().clearHours, 200.0);
        QCOMPARE(room().model().profile().owned, std::string("duo3"));
        for (const FilterValue& v : verdict().value)
            if (v.id == "duo3") QVERIFY(v.hoursSaved == 0 && v.sigma == 0);
        choose(panel().scopeBox(), 1);
        QVERIFY(ready());
        QVERIFY(room().model().onlyThisTrial());
    }

    void theProfileStaysWithTheCampaign() {
        choose(panel().startBox(), 1);
        QVERIFY(ready());
        m_answers->save = at("mine.json");
        for (QAction* a : panel().findChildren<QAction*>())
            if (a->text().startsWith("Save this profile")) a->trigger();
        const auto saved = readProfile(m_folder / "mine.json");
        QVERIFY(saved && saved->name == "City balcony");
        const QString campaign = m_window->session().campaign()->path();
        m_window.reset();
        newWindow();
        m_window->openCampaign(campaign);
        m_window->showWorkspace(MainWindow::Workspace::Verdict);
        QVERIFY(ready());
        QCOMPARE(room().model().profile().name, std::string("City balcony"));
        QVERIFY(writeFile(m_folder / "wrong.json", "{\"caelumen_profile\": 1, \"skies\": []}").ok());
        m_answers->save = at("wrong.json");
        for (QAction* a : panel().findChildren<QAction*>())
            if (a->text().startsWith("Open a profile")) a->trigger();
        QVERIFY(problem().contains("wrong.json"));
        QCOMPARE(room().model().profile().name, std::string("City balcony"));
    }

    void oldAndNew() {
        room().tabs().setCurrentIndex(2);
        QVERIFY(room().oldNewView().toPlainText().contains("Choose a run"));
        QCOMPARE(room().beforeBox().count(), 3); // and "choose a run"
        choose(room().beforeBox(), 1);
        choose(room().nowBox(), 2);
        QVERIFY(ready());
        QVERIFY(room().model().oldNew() && room().model().oldNew()->rows.size() == 5);
        QVERIFY(room().oldNewView().toPlainText().contains("better by"));
    }

    void wordsGoIntoTheReport() {
        room().tabs().setCurrentIndex(3);
        ReportPanel& report = room().report();
        QVERIFY(ready());
        QVERIFY(QTest::qWaitFor([&] { return report.sheets() > 3; }, 60'000));
        report.tester().setFocus();
        QTest::keyClicks(&report.tester(), "Somebody");
        QTest::keyClick(&report.tester(), Qt::Key_Return);
        report.disclosure().setFocus();
        QTest::keyClicks(&report.disclosure(), "All were bought.");
        QVERIFY(ready());
        QVERIFY(m_window->session().kept("report").contains("All were bought."));
        for (const char* what : {"html", "pdf", "zip", "card", "card-svg", "tall", "json"}) {
            const QString name = at((std::string("out-") + what).c_str());
            m_answers->save = name;
            report.askExport(what);
            const auto there = [&] { return QDir(QFileInfo(name).path()).entryList({QFileInfo(name).fileName() + ".*"}).size() == 1; };
            QVERIFY2(QTest::qWaitFor([&] { return there() && !report.busy(); }, 60'000), what);
        }
        const auto page = readText(m_folder / "out-html.html");
        QVERIFY(page && page->find("Somebody") != std::string::npos && page->find("All were bought.") != std::string::npos &&
                page->find("Verdict") != std::string::npos);
        QCOMPARE(QImage(at("out-tall.png")).size(), QSize(1080, 1350));
        QVERIFY(Json::parse(*readText(m_folder / "out-json.json"))["caelumen_verdict"] == 1);
        m_answers->place = at("slides");
        report.askExport("slides");
        QVERIFY(QTest::qWaitFor([&] { return !report.busy() && QDir(at("slides")).entryList({"*-1920.png"}).size() > 4; }, 60'000));
        // A page of one's own.
        QVERIFY(writeFile(m_folder / "own.html", "<html><body>MINE {{title}} {{verdict}}</body></html>").ok());
        m_answers->save = at("own.html");
        auto* pages = byName<QComboBox>(report, "Page");
        choose(*pages, 1);
        QVERIFY(ready());
        m_answers->save = at("own-out");
        report.askExport("html");
        QVERIFY(QTest::qWaitFor([&] { return QFile::exists(at("own-out.html")); }, 60'000));
        QVERIFY(readText(m_folder / "own-out.html")->find("MINE") != std::string::npos);
        m_answers->save = QString::fromStdString(m_window->session().trial().runs[0].stack);
        report.askExport("pdf");
        QVERIFY(!problem().isEmpty()); // never over a frame
    }

    void sentencesAndTablesAreCopied() {
        room().copyText();
        QVERIFY(QGuiApplication::clipboard()->text().contains("comes first") || QGuiApplication::clipboard()->text().contains("nothing here is better"));
        room().copyTable();
        QCOMPARE(QGuiApplication::clipboard()->text().split('\n', Qt::SkipEmptyParts).size(), 4);
    }
};

CAELUMEN_WINDOW_TEST(VerdictRoomTest)
#include "verdict_test.moc"
