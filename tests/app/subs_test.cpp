#include "app/subs/live_panel.h"
#include "app/subs/run_table.h"
#include "app/subs/sub_view.h"
#include "app/subs/subs.h"
#include "app/subs/told_dialog.h"
#include "support/subs_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTabWidget>
#include <QTableView>
#include <QTableWidget>
#include <QTest>
#include <QTextBrowser>
#include <QTimer>

using namespace caelumen;
namespace fs = std::filesystem;

class SubsTest : public QObject, SubsFixture {
    Q_OBJECT

    static void pull(SubView& view, QPoint from, QPoint to) {
        QTest::mousePress(&view, Qt::LeftButton, {}, from);
        QMouseEvent move(QEvent::MouseMove, QPointF(to), view.mapToGlobal(QPointF(to)), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&view, &move);
        QTest::mouseRelease(&view, Qt::LeftButton, {}, to);
    }

    /// Types into the dialog about the run in hand, then accepts it.
    void tellFacts(const std::function<void(ToldDialog&)>& type) {
        whenAsked<ToldDialog>([type](ToldDialog& dialog) {
            type(dialog);
            QTest::mouseClick(dialog.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok), Qt::LeftButton);
        });
        action("Facts of these subs")->trigger();
    }

private slots:
    void initTestCase() { makeScene(); }
    void init() { openWindow(); }
    void cleanup() { m_window.reset(); }

    void aFolderIsTakenInAndJudged() {
        QVERIFY(subs().summary().text().contains("Drop a folder"));
        QVERIFY(!button("Stack this run")->isEnabled());
        m_window->showWorkspace(MainWindow::Workspace::Kit);
        takeIn(); // a folder goes to the Subs from anywhere
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Subs);
        QCOMPARE(subs().runs().count(), 2);
        QVERIFY2(subs().runs().item(0)->text().contains("6 subs"), qPrintable(subs().runs().item(0)->text()));
        QStringList others;
        for (int i = 0; i < subs().others().count(); ++i) others << subs().others().item(i)->text();
        QVERIFY2(others.join("|").contains("darks, 120 s") && others.join("|").contains("Files left aside: 1"), qPrintable(others.join("|")));
        QCOMPARE(model().run().subs.size(), std::size_t{6});
        for (int i = 0; i < 6; ++i) QCOMPARE(keeps(i), i != 2);
        QVERIFY2(subs().summary().text().contains("5 of 6 subs kept") && subs().summary().text().contains("cloud"), qPrintable(subs().summary().text()));
        QCOMPARE(subs().table().model()->index(2, SubTable::Verdict).data().toString(), QString("cloud"));
        for (int column = 0; column < SubTable::ColumnCount; ++column) // no figure is cut off
            for (int row = 0; row < 6; ++row)
                QVERIFY(subs().table().columnWidth(column) >= subs().table().sizeHintForIndex(subs().table().model()->index(row, column)).width());
        // The other run, by a click.
        QTest::mouseClick(subs().runs().viewport(), Qt::LeftButton, {}, subs().runs().visualItemRect(subs().runs().item(1)).center());
        QTRY_VERIFY_WITH_TIMEOUT(model().judged() && model().run().subs.front().figures->file.find("duo7") != std::string::npos, 20'000);
        QVERIFY(!keeps(2));
    }

    void stepsPlaysAndShowsPixels() {
        takeIn();
        subs().setFocus();
        QCOMPARE(subs().current(), 0);
        QTRY_VERIFY_WITH_TIMEOUT(!subs().view().image().isNull(), 20'000);
        QCOMPARE(subs().view().image().size(), QSize(240, 160)); // mosaic cells
        QTest::keyClick(&subs(), Qt::Key_Right);
        QTest::keyClick(&subs(), Qt::Key_Right);
        QCOMPARE(subs().current(), 2);
        QCOMPARE(subs().table().currentIndex().row(), 2);
        QTest::keyClick(&subs(), Qt::Key_Left);
        QCOMPARE(subs().current(), 1);
        for (QWidget* w : std::initializer_list<QWidget*>{&subs().table(), &subs().runs(), button("Stack this run")}) { // wherever the focus is
            w->setFocus();
            QTest::keyClick(w, Qt::Key_Right);
            QCOMPARE(subs().current(), 2);
            QTest::keyClick(w, Qt::Key_Left);
            QCOMPARE(subs().current(), 1);
        }
        QTest::mouseClick(&subs().chart(), Qt::LeftButton, {}, subs().chart().placeOf(4).toPoint());
        QCOMPARE(subs().current(), 4);
        QTest::keyClick(&subs(), Qt::Key_Space);
        QVERIFY(subs().playing());
        QTRY_VERIFY_WITH_TIMEOUT(subs().current() != 4, 10'000);
        QTest::keyClick(&subs(), Qt::Key_Space);
        QVERIFY(!subs().playing());
        QTest::keyClick(&subs(), Qt::Key_Z);
        QVERIFY(subs().view().fits());
        QTest::mouseDClick(&subs().view(), Qt::LeftButton);
        QVERIFY(!subs().view().fits());
        subs().showSub(0);
        QTRY_VERIFY_WITH_TIMEOUT(!subs().view().image().isNull(), 20'000);
        const QPointF before = subs().view().centre();
        pull(subs().view(), {100, 80}, {70, 80});
        QCOMPARE(subs().view().centre().x(), before.x() + 30);
        QTest::keyClick(&subs(), Qt::Key_N);
        QCOMPARE(subs().current(), 2); // the next one that is left out
    }

    void theRedThemeShowsNoWhitePicture() {
        takeIn();
        QTRY_VERIFY_WITH_TIMEOUT(!subs().view().image().isNull(), 20'000);
        SubView& view = subs().view();
        QVERIFY(glareIn(view.grab().toImage()) > 20);
        pull(view, {100, 80}, {80, 90});
        const QPointF looked = view.centre();
        m_window->setTheme(ThemeKind::Red);
        QVERIFY(glareIn(m_window->grab().toImage()) < 20);
        QTRY_VERIFY_WITH_TIMEOUT(!view.image().isNull(), 20'000);
        QVERIFY(glareIn(view.grab().toImage()) < 20);
        QCOMPARE(view.centre(), looked); // reading anew moves nothing
        // Nor does a view that is laid out before it is shown: the resize that comes then says nothing of the size before.
        QResizeEvent first(view.size(), QSize());
        QApplication::sendEvent(&view, &first);
        QVERIFY(QLineF(view.centre(), looked).length() < 1e-6);
        m_window->setTheme(ThemeKind::Grey);
        QVERIFY(glareIn(view.grab().toImage()) > 20); // the one that was kept
    }

    void aPersonOverrulesAndTakesBack() {
        takeIn();
        subs().showSub(2);
        subs().setFocus();
        QTest::keyClick(&subs(), Qt::Key_K);
        QVERIFY(keeps(2) && model().run().subs[2].byHand);
        QVERIFY(subs().table().model()->index(2, SubTable::Verdict).data().toString().contains("you"));
        subs().showSub(3);
        QTest::keyClick(&subs(), Qt::Key_X);
        QVERIFY(!keeps(3));
        m_window->session().undoStack().undo();
        QVERIFY(keeps(3));
        QTest::keyClick(&subs(), Qt::Key_X);
        QTest::keyClick(&subs(), Qt::Key_J);
        QVERIFY(keeps(3));
        // What was decided stays with the campaign; what was measured is not measured again.
        m_window->openCampaign(at("elsewhere.caelumen"));
        QTRY_VERIFY_WITH_TIMEOUT(model().groups().empty(), 5000);
        m_window->openCampaign(at(QTest::currentTestFunction()) + ".caelumen");
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window) + subs().summary().text()), 20'000);
        QVERIFY(keeps(2));
        action("Copy the verdicts")->trigger();
        QVERIFY(QGuiApplication::clipboard()->text().contains("light-003.fits"));
        action("Copy the chart")->trigger();
        QVERIFY(QGuiApplication::clipboard()->text().contains("sky"));
    }

    /// Times and their heading go together, whichever trial is in hand.
    void timesFollowThePlaceOfTheTrial() {
        takeIn();
        const auto heading = [&] { return subs().table().model()->headerData(SubTable::Time, Qt::Horizontal).toString(); };
        const auto first = [&] { return subs().table().model()->index(0, SubTable::Time).data().toString(); };
        QCOMPARE(heading(), QString("UTC"));
        QCOMPARE(first(), QString("17:20"));
        Trial here;
        here.title = "Garden", here.target.name = "IC 2944";
        here.site.latitude_deg = -34, here.site.longitude_deg = 22.4, here.site.zone = "Africa/Johannesburg";
        QVERIFY(session().addTrial(here).ok());
        QCOMPARE(heading(), QString("time"));
        QCOMPARE(first(), QString("19:20"));
        Trial other = here;
        other.title = "Elsewhere", other.target.name = "M 42"; // its place is not that of these subs
        QVERIFY(session().addTrial(other).ok());
        QCOMPARE(heading(), QString("UTC"));
        QCOMPARE(first(), QString("17:20"));
    }

    void limitsCountAtOnce() {
        takeIn();
        subs().tabs().setCurrentIndex(1);
        auto* box = named<QDoubleSpinBox>("Transparency at least");
        QVERIFY(box);
        box->setFocus();
        box->selectAll();
        for (const char key : {'0', '.', '4'}) QTest::keyClick(box, key);
        QCOMPARE(box->text(), QString("0.4")); // nothing rewritten, nothing judged yet
        QVERIFY(!keeps(2));
        QTest::keyClick(box, Qt::Key_Return);
        QVERIFY(keeps(2));
        m_window->session().undoStack().undo();
        QVERIFY(!keeps(2));
        QCOMPARE(box->value(), 0.90);
        box->setValue(0.3);
        QTest::mouseClick(button("For a picture"), Qt::LeftButton);
        QCOMPARE(box->value(), 0.80);
        QTest::mouseClick(button("For a fair test"), Qt::LeftButton);
        QCOMPARE(box->value(), 0.90);
        QVERIFY(!keeps(2));
    }

    void runsAreStackedAlikeForTheBench() {
        takeIn();
        m_answers->place = at("stacks");
        QDir().mkpath(at("stacks"));
        auto* mosaic = named<QComboBox>("Mosaic");
        subs().tabs().setCurrentIndex(2);
        mosaic->setCurrentIndex(1);
        emit mosaic->activated(1);
        QVERIFY(model().decisions().mosaic == MosaicMode::Full);
        m_window->session().undoStack().undo();
        QVERIFY(model().decisions().mosaic == MosaicMode::Half);
        QTest::mouseClick(button("Stack all runs"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(m_window->session().hasTrial() && m_window->session().trial().runs.size() == 2, 20'000);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        const Trial& trial = m_window->session().trial();
        QCOMPARE(trial.target.name, std::string("IC 2944"));
        QTRY_VERIFY_WITH_TIMEOUT(m_window->session().results(), 20'000); // nothing typed, and it measures
        const TrialResults& results = *m_window->session().results();
        QCOMPARE(results.conditionsOf("A")->sub_count.value_or(0), 5);
        QCOMPARE(results.conditionsOf("A")->sub_exposure_s.value_or(0), 120.0);
        QVERIFY(results.find("A", "background"));
        m_window->showWorkspace(MainWindow::Workspace::Subs);
        QTRY_VERIFY_WITH_TIMEOUT(button("Separate the lines")->isEnabled(), 5000);
        QTest::mouseClick(button("Separate the lines"), Qt::LeftButton);
        QTRY_COMPARE_WITH_TIMEOUT(QDir(at("stacks")).entryList({"*-oxygen.fits"}).size(), 2, 20'000);
        // Oxygen of both filters, laid on each other.
        m_answers->frames.clear();
        for (const QFileInfo& file : QDir(at("stacks")).entryInfoList({"*-oxygen.fits"})) m_answers->frames << file.filePath();
        m_answers->save = at("both");
        action("Oxygen of several filters")->trigger();
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(at("both.fits")), 20'000);
        QVERIFY2(problemIn(*m_window).isEmpty(), qPrintable(problemIn(*m_window)));
        m_answers->frames = QStringList{at("both.fits"), at("capture/broken.fits")};
        m_answers->save = at("none");
        action("Oxygen of several filters")->trigger();
        QTRY_VERIFY2_WITH_TIMEOUT(problemIn(*m_window).contains("broken.fits"), qPrintable(problemIn(*m_window)), 5000);
        QVERIFY(!QFile::exists(at("none.fits")));
        // Once more into the same folder: nothing that is there is written over.
        const QFileInfoList before = QDir(at("stacks")).entryInfoList({"*.fits"}, QDir::Files, QDir::Name);
        QTest::mouseClick(button("Stack all runs"), Qt::LeftButton);
        QTRY_COMPARE_WITH_TIMEOUT(QDir(at("stacks")).entryList({"*.fits"}).size(), before.size() + 2 * 3, 20'000);
        for (const QFileInfo& file : before) QCOMPARE(QFileInfo(file.filePath()).lastModified(), file.lastModified());
    }

    void stacksOfAnotherTargetFillNoPlan() {
        Trial planned;
        planned.title = "Planned";
        planned.target.name = "NGC 6188"; // the subs are of IC 2944
        planned.plan.emplace();
        planned.plan->filters = {"first"};
        Session& session = m_window->session();
        QVERIFY(session.addTrial(planned).ok());
        m_window->showWorkspace(MainWindow::Workspace::Subs);
        takeIn();
        m_answers->place = at("another");
        QDir().mkpath(at("another"));
        QTest::mouseClick(button("Stack all runs"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(session.trials().size() == 2, 20'000);
        QCOMPARE(session.trial().target.name, std::string("IC 2944"));
    }

    void aPlanIsFilledByItsNight() {
        Trial planned;
        planned.title = "Planned";
        for (const SceneFilter& f : demoFilters())
            if (f.id == "open" || f.id == "duo7") planned.filters.push_back({f.id == "duo7" ? "first" : "second", f.name, f.kind, "", std::nullopt, false});
        planned.plan.emplace();
        planned.plan->date = "2026-06-21";
        planned.plan->filters = {"first", "second"};
        planned.plan->blocks = {{"first", 18'000, 8, 120}, {"second", 20'000, 8, 120}};
        Session& session = m_window->session();
        QVERIFY(session.addTrial(planned).ok());
        m_window->showWorkspace(MainWindow::Workspace::Subs);
        takeIn();
        m_answers->place = at("planned");
        QDir().mkpath(at("planned"));
        QTest::mouseClick(button("Stack all runs"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(session.trial().runs.size() == 2, 20'000);
        QCOMPARE(session.trials().size(), std::size_t{1});
        QCOMPARE(session.trial().title, std::string("Planned"));
        QCOMPARE(session.trial().filters.size(), std::size_t{2});
        QVERIFY(session.trial().baseline() && session.trial().baseline()->filter == "first"); // as planned, whatever its kind
        QTRY_VERIFY_WITH_TIMEOUT(session.results(), 20'000);
        QTest::keyClick(m_window.get(), Qt::Key_2, Qt::AltModifier);
        auto* page = byName<QTextBrowser>(*m_window, "What the night proves");
        QVERIFY(page);
        QTRY_VERIFY2_WITH_TIMEOUT(page->toPlainText().contains("Plan against what happened") && page->toPlainText().contains("5 of 8"),
                                  qPrintable(page->toPlainText()), 5000);
    }

    void oneRunIsStackedWhereOneSays() {
        takeIn();
        m_answers->save = at("mine");
        QTest::mouseClick(button("Stack this run"), Qt::LeftButton);
        QVERIFY(m_answers->suggested.endsWith("ic-2944-clearpane-uv-ir-cut-2026-06-21.fits"));
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(at("mine.fits")), 20'000);
    }

    void groupsAreEdited() {
        takeIn();
        tellFacts([](ToldDialog& d) { QTest::keyClicks(byName<QLineEdit>(d, "Filter"), "Another filter"); });
        QTRY_VERIFY_WITH_TIMEOUT(subs().runs().count() == 2 && (subs().runs().item(0)->text() + subs().runs().item(1)->text()).contains("Another filter"),
                                 20'000);
        m_window->session().undoStack().undo();
        QTRY_VERIFY_WITH_TIMEOUT(!(subs().runs().item(0)->text() + subs().runs().item(1)->text()).contains("Another filter"), 20'000);
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window) + subs().summary().text()), 20'000);
        action("Take these frames out")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(subs().runs().count(), 1, 20'000);
        m_window->session().undoStack().undo();
        QTRY_COMPARE_WITH_TIMEOUT(subs().runs().count(), 2, 20'000);
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window) + subs().summary().text()), 20'000);
        action("darks")->trigger(); // the lights in hand were darks after all
        QTRY_COMPARE_WITH_TIMEOUT(subs().runs().count(), 1, 20'000);
        QVERIFY(fs::exists(at("capture/open/light-001.fits").toStdString())); // files stay where they are
    }

    void whatHeadersDoNotSayIsTold() {
        takeIn();
        QVERIFY(model().run().subs.front().figures->level.count("G"));
        tellFacts([](ToldDialog& d) {
            byName<QComboBox>(d, "Colour mosaic")->setCurrentText("none: a monochrome camera");
            QTest::keyClicks(byName<QLineEdit>(d, "Target"), "NGC 3372");
            QTest::keyClicks(byName<QLineEdit>(d, "Exposure of a sub (s)"), "60");
            QTest::keyClicks(byName<QLineEdit>(d, "Gain (e-/ADU)"), "2.5");
        });
        const auto target = [&] {
            for (std::size_t g = 0; g < model().groups().size(); ++g)
                if (model().groups()[g].target == "NGC 3372") return static_cast<int>(g);
            return -1;
        };
        QTRY_VERIFY_WITH_TIMEOUT(target() >= 0, 20'000);
        model().choose(target());
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window)), 20'000);
        const SubFigures& f = model().run().subs.front().figures;
        QVERIFY(f.level.count("L") && f.level.size() == 1);
        QCOMPARE(f.exposure_s, 60.0);
        QCOMPARE(model().measurer()->gain(), 2.5);
        QVERIFY(f.airmass.has_value()); // the catalogue knows where that is
        // The campaign keeps it, and undo takes it back.
        QVERIFY(m_window->session().kept("subs").contains("NGC 3372"));
        m_window->session().undoStack().undo();
        QTRY_VERIFY_WITH_TIMEOUT(target() < 0 && model().judged(), 20'000);
        QVERIFY(model().run().subs.front().figures->level.count("G"));
    }

    void allRunsAreJudgedSideBySide() {
        takeIn();
        QTRY_VERIFY_WITH_TIMEOUT(model().runOf(0)->judged && model().runOf(1)->judged, 20'000); // without a click
        RunTable& table = subs().runTable();
        subs().tabs().setCurrentWidget(&table);
        QCOMPARE(table.rowCount(), 2);
        QStringList heads;
        for (int c = 0; c < table.columnCount(); ++c) heads << table.horizontalHeaderItem(c)->text();
        const int cloud = static_cast<int>(heads.indexOf("cloud"));
        QVERIFY2(cloud > 0, qPrintable(heads.join("|")));
        for (int r = 0; r < 2; ++r) QCOMPARE(table.item(r, cloud)->text(), QString("2.0"));                                       // minutes: one sub of two
        QVERIFY2(table.item(1, table.columnCount() - 1)->text().contains(QString::fromUtf8("\u00B1")), qPrintable(table.text())); // on the night's scale
        table.setFocus();
        QTest::keyClick(&table, Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QGuiApplication::clipboard()->text().startsWith("run\tkept\tkept min\tcloud"));
        const int other = 1 - table.currentRow();
        table.setCurrentCell(other, 0);
        const QPoint there = table.visualItemRect(table.item(other, 0)).center();
        QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, there);
        QTest::mouseDClick(table.viewport(), Qt::LeftButton, {}, there);
        QCOMPARE(table.currentRow(), other);
        QTRY_COMPARE_WITH_TIMEOUT(model().current(), table.item(other, 0)->data(Qt::UserRole).toInt(), 5000);
        QVERIFY(model().judged()); // at once: it was judged before
    }

    /// Darks that lie in one place for all campaigns serve lights that come without any; taken away, they serve no more.
    void darksOfTheLibraryServeLightsWithoutAny() {
        const QDir from(at("capture/open"));
        for (const auto& [folder, names] : {std::pair{at("library"), QStringList{"dark*", "bias*"}}, {at("bare"), QStringList{"light*", "flat*"}}}) {
            QDir().mkpath(folder);
            for (const QString& name : from.entryList(names)) QFile::copy(from.filePath(name), folder + "/" + name);
        }
        dropOn(*m_window, {at("bare")});
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window)), 20'000);
        QVERIFY(model().recipe(model().current()).darks.empty());
        m_answers->place = at("library");
        action("Dark library")->trigger();
        QCOMPARE(SubsModel::darkLibrary(), at("library"));
        QTRY_COMPARE_WITH_TIMEOUT(model().recipe(model().current()).darks.size(), std::size_t{3}, 20'000);
        for (const fs::path& dark : model().recipe(model().current()).darks) QCOMPARE(dark.parent_path().filename().string(), std::string("library"));
        QTRY_VERIFY_WITH_TIMEOUT(model().judged(), 20'000);
        QCOMPARE(subs().runs().count(), 1); // what lies there is no run of this campaign
        // Another campaign finds it; without it, lights stand alone again.
        m_window->openCampaign(at("another-with-library.caelumen"));
        QTRY_VERIFY_WITH_TIMEOUT(model().groups().empty(), 5000);
        dropOn(*m_window, {at("bare")});
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window)), 20'000);
        QCOMPARE(model().recipe(model().current()).darks.size(), std::size_t{3});
        action("Without the dark library")->trigger();
        QTRY_VERIFY_WITH_TIMEOUT(model().recipe(model().current()).darks.empty(), 20'000);
        QVERIFY(SubsModel::darkLibrary().isEmpty());
        QVERIFY(fs::exists(at("library/dark-001.fits").toStdString()));
    }

    void theCameraIsToldByFlatsAndBiases() {
        Trial t;
        t.title = "Garden";
        QVERIFY(m_window->session().addTrial(t).ok());
        takeIn();
        action("Gain and read noise")->trigger();
        QVERIFY(subs().transfer());
        QTRY_VERIFY_WITH_TIMEOUT(!subs().transfer()->busy() && subs().transfer()->table().rowCount() > 4, 20'000);
        QVERIFY(subs().transfer()->text().contains("all sites"));
        for (QPushButton* b : subs().transfer()->findChildren<QPushButton*>())
            if (b->text() == "Copy as a table") QTest::mouseClick(b, Qt::LeftButton);
        QVERIFY(QGuiApplication::clipboard()->text().startsWith("colour site\tgain"));
        QCOMPARE(QGuiApplication::clipboard()->text().count('\n'), subs().transfer()->table().rowCount() + 1);
        QVERIFY(subs().transfer()->put().isEnabled());
        QTest::mouseClick(&subs().transfer()->put(), Qt::LeftButton);
        const Rig& rig = m_window->session().trial().rig;
        QVERIFY(rig.gain_e_per_adu && std::abs(*rig.gain_e_per_adu / 0.78 - 1) < 0.02);
        QVERIFY(rig.read_noise_e && std::abs(*rig.read_noise_e / 1.6 - 1) < 0.03);
        QVERIFY(!subs().transfer()->put().isEnabled());
        m_window->session().undoStack().undo();
        QVERIFY(!m_window->session().trial().rig.gain_e_per_adu);
    }
};

CAELUMEN_WINDOW_TEST(SubsTest)
#include "subs_test.moc"
