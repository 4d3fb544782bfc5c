#include "app/bench/blind_panel.h"
#include "app/bench/evidence_plot.h"
#include "app/bench/fairness_list.h"
#include "app/bench/histogram_strip.h"
#include "app/bench/lane_list.h"
#include "app/bench/score_board.h"
#include "app/bench/welcome.h"
#include "app/facts_dialog.h"
#include "core/base/json.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QTimer>
#include <qcustomplot.h>

using namespace caelumen;

/// How the Bench is looked at: flipping, curtain, ratio, lines, histogram, the readout, evidence, the blind look; each by keys and mouse in the real window.
class BenchViewTest : public QObject, private BenchFixture {
    Q_OBJECT

    FrameView& view() { return bench().view(); }
    int greyAt(QPoint p) {
        view().finish();
        return qGray(view().grab().toImage().pixel(p));
    }
    QWidget* trialBox() { return byName<QComboBox>(*m_window, "Trial"); }

private slots:
    void initTestCase() { makeScene(800); }

    void init() {
        openWindow();
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        view().setShowRegions(false);
    }

    void cleanup() { m_window.reset(); }

    void keysWorkWhereverTheFocusIs() {
        for (QWidget* focus : {trialBox(), static_cast<QWidget*>(&bench().lanes()), static_cast<QWidget*>(bench().panel("halo"))}) {
            QVERIFY(focus);
            focus->setFocus();
            QTest::keyClick(focus, Qt::Key_3);
            QCOMPARE(view().current(), QString("C"));
            QTest::keyClick(focus, Qt::Key_BracketRight);
            QCOMPARE(view().current(), QString("A"));
            QTest::keyClick(focus, Qt::Key_BracketLeft);
            QCOMPARE(view().current(), QString("C"));
            QTest::keyPress(focus, Qt::Key_B);
            QCOMPARE(view().shown(), QString("A")); // for as long as it is held
            QTest::keyRelease(focus, Qt::Key_B);
            QCOMPARE(view().shown(), QString("C"));
        }
        // Where one writes, letters are letters.
        bench().tools().levels()->setChecked(false);
        QLineEdit line(m_window.get());
        line.show();
        line.setFocus();
        QTest::keyClicks(&line, "b3g");
        QCOMPARE(line.text(), QString("b3g"));
        QCOMPARE(view().current(), QString("C"));
        QVERIFY(!bench().tools().levels()->isChecked());
    }

    void modesAndLooksHaveKeys() {
        QWidget* focus = trialBox();
        QTest::keyClick(focus, Qt::Key_V);
        QVERIFY(view().mode() == FrameView::Mode::Tiles);
        QTest::keyClick(focus, Qt::Key_C);
        QVERIFY(view().mode() == FrameView::Mode::Curtain);
        QTest::keyClick(focus, Qt::Key_C); // once more: put away
        QVERIFY(view().mode() == FrameView::Mode::One);
        QTest::keyClick(focus, Qt::Key_X);
        QVERIFY(view().ratio());
        QTest::keyClick(focus, Qt::Key_X);
        QVERIFY(!view().ratio());
        for (const LookAt look : {LookAt::Red, LookAt::Green, LookAt::Blue, LookAt::RedLine, LookAt::Oxygen, LookAt::Colours}) {
            QTest::keyClick(focus, Qt::Key_L);
            QVERIFY(bench().tools().look() == look);
            for (const ViewLane& lane : view().lanes()) QCOMPARE(lane.showing.colour, look == LookAt::Colours);
            view().finish();
            const QColor c = view().grab().toImage().pixelColor(view().pictureOf(view().current()).center().toPoint());
            if (look != LookAt::Colours) QVERIFY(c.red() == c.green() && c.green() == c.blue());
        }
        for (const StretchMode mode : {StretchMode::OwnSky, StretchMode::Linear, StretchMode::Shared}) {
            QTest::keyClick(focus, Qt::Key_T);
            QVERIFY(bench().tools().stretchMode() == mode);
            const auto& lanes = view().lanes();
            QCOMPARE(lanes[0].stretch == lanes[1].stretch, mode != StretchMode::OwnSky);
        }
    }

    void itFlipsByItself() {
        bench().tools().setPace(0.05);
        view().setCurrent("A");
        QTest::keyClick(trialBox(), Qt::Key_A);
        QVERIFY(QTest::qWaitFor([&] { return view().current() == "B"; }, 5'000));
        QVERIFY(QTest::qWaitFor([&] { return view().current() == "C"; }, 5'000));
        m_window->showWorkspace(MainWindow::Workspace::Kit); // out of sight it rests
        QVERIFY(!bench().tools().turns()->isChecked());
    }

    void pointsOfTheHistogramAreDragged() {
        QTest::keyClick(trialBox(), Qt::Key_G);
        HistogramStrip& strip = bench().histogram();
        QVERIFY(QTest::qWaitFor([&] { return strip.isVisible(); }, 5'000));
        const Stretch before = view().lanes()[1].stretch;
        const QPoint from = strip.pointAt(2).toPoint(), to(strip.width() / 2, from.y());
        QTest::mousePress(&strip, Qt::LeftButton, {}, from);
        QTest::mouseMove(&strip, to);
        QTest::mouseRelease(&strip, Qt::LeftButton, {}, to);
        for (const ViewLane& lane : view().lanes()) QVERIFY(lane.stretch.white < 0.8 * before.white); // one for all
        QTest::keyClick(&strip, Qt::Key_Up);                                                          // another mark, by keys
        const Stretch dragged = view().lanes()[1].stretch;
        QTest::keyClick(&strip, Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(!(view().lanes()[1].stretch == dragged));
        QTest::mouseDClick(&strip, Qt::LeftButton, {}, to);
        QVERIFY(view().lanes()[1].stretch == before);
        // Each to its own sky has no common points.
        bench().tools().setStretchMode(StretchMode::OwnSky);
        const Stretch own = view().lanes()[1].stretch;
        QTest::mousePress(&strip, Qt::LeftButton, {}, strip.pointAt(2).toPoint());
        QTest::mouseMove(&strip, to);
        QTest::mouseRelease(&strip, Qt::LeftButton, {}, to);
        QVERIFY(view().lanes()[1].stretch == own);
    }

    /// What stands under the cursor: the rate of every run, and its ratio to the baseline's.
    void theReadoutIsInElectrons() {
        const Point place = session().trial().regions.front().centre();
        QTest::mouseMove(&view(), viewOf(place));
        QVERIFY(QTest::qWaitFor([&] { return bench().lanes().readouts().size() == 3; }, 5'000));
        const auto readouts = bench().lanes().readouts();
        QVERIFY(readouts.at("A").contains("e-/s/px") && !readouts.at("A").contains(QChar(0xD7)));
        QVERIFY(readouts.at("B").contains(QChar(0xD7)));
        const double a = readouts.at("A").section(' ', 1, 1).toDouble(), b = readouts.at("B").section(' ', 1, 1).toDouble(),
                     ratio = readouts.at("B").section(QChar(0xD7), 1).toDouble();
        QVERIFY(a > 0 && std::abs(ratio / (b / a) - 1) < 0.01);
        // It agrees with the background that was measured, where there is only sky.
        double measured = 0;
        for (const char* c : {"R", "G", "B"}) measured += session().results()->find("A", "background", c)->value;
        QVERIFY2(a > 0.8 * measured && a < 3 * measured, qPrintable(QString("%1 %2").arg(a).arg(measured)));
        QTest::mouseMove(&view(), view().pictureOf(view().current()).topLeft().toPoint() - QPoint(0, 12)); // on the caption
        QVERIFY(QTest::qWaitFor([&] { return bench().lanes().readouts().empty(); }, 5'000));
    }

    void aBlindLookHidesNamesUntilTheEnd() {
        QTest::keyClick(trialBox(), Qt::Key_B, Qt::ShiftModifier);
        QVERIFY(bench().isBlind());
        BlindPanel& panel = bench().blindPanel();
        QVERIFY(panel.isVisible() && !bench().lanes().isVisible() && !bench().board().isVisible() && !bench().fairness().isVisible());
        QCOMPARE(panel.list().count(), 3);
        for (const ViewLane& lane : view().lanes()) QVERIFY2(lane.label.startsWith("Picture"), qPrintable(lane.label));
        QTest::keyPress(trialBox(), Qt::Key_B); // the baseline would give itself away
        QCOMPARE(view().shown(), view().current());
        QTest::keyRelease(trialBox(), Qt::Key_B);
        QTest::keyClick(trialBox(), Qt::Key_X);
        QVERIFY(!view().ratio());
        // Into the order that the figures have, by keys: best first.
        std::vector<std::string> best{"A", "B", "C"};
        std::sort(best.begin(), best.end(), [&](const std::string& a, const std::string& b) {
            const auto value = [&](const std::string& run) {
                const Measurement* m = session().results()->headline(run, "time_ratio", "N1");
                return m ? m->value : 1;
            };
            return value(a) > value(b);
        });
        for (int place = 0; place < 3; ++place)
            for (int i = place; i < 3; ++i)
                if (panel.list().item(i)->data(Qt::UserRole).toString().toStdString() == best[static_cast<std::size_t>(place)]) {
                    panel.list().setCurrentRow(i);
                    QCOMPARE(view().current().toStdString(), best[static_cast<std::size_t>(place)]);
                    panel.list().setFocus();
                    for (int k = i; k > place; --k) QTest::keyClick(&panel.list(), Qt::Key_Up, Qt::ControlModifier);
                    break;
                }
        QVERIFY(panel.look().ranking == best);
        panel.reasons().setPlainText("the shell is plainer");
        QTest::mouseClick(&panel.revealButton(), Qt::LeftButton);
        QVERIFY(panel.revealed() && !panel.verdict().text().isEmpty());
        QVERIFY(panel.list().item(0)->text().contains(QString::fromStdString(best[0])));
        for (const ViewLane& lane : view().lanes()) QVERIFY(!lane.label.startsWith("Picture"));
        const Json kept = *parseJson(session().kept("blind-looks").toStdString(), "kept");
        QCOMPARE(kept.size(), std::size_t{1});
        QVERIFY(kept[0]["reasons"] == "the shell is plainer" && kept[0]["agreed"] == kept[0]["pairs"]);
        QTest::mouseClick(&panel.leaveButton(), Qt::LeftButton);
        QVERIFY(!bench().isBlind() && bench().lanes().isVisible() && bench().board().isVisible());
        QCOMPARE(view().lanes().front().run, QString("A"));
    }

    void everyScoreHasItsPlots() {
        int kinds = 0;
        for (const Score& score : scores()) {
            bench().showEvidence(QString::fromStdString(std::string(score.id)), "B");
            QComboBox* box = bench().evidence().kindBox();
            for (int i = 0; i < std::max(1, box->count()); ++i) {
                box->setCurrentIndex(i);
                emit box->activated(i);
                QVERIFY2(bench().evidence().plot()->isVisible(), qPrintable(QString("%1 %2: %3").arg(score.id.data()).arg(i).arg(bench().evidence().words())));
                QVERIFY(bench().evidence().csv().count('\n') > 4);
                QVERIFY(!bench().evidence().words().isEmpty());
                ++kinds;
            }
        }
        QVERIFY(kinds >= 8);
        for (const int kind : {0, 1, 2}) {
            bench().showEvidence("artefacts", "C");
            bench().evidence().kindBox()->setCurrentIndex(kind);
            emit bench().evidence().kindBox()->activated(kind);
            QVERIFY(bench().evidence().plot()->isVisible());
        }
        // Zoomed in, and back to the whole by a double click.
        bench().showEvidence("nebula", "B");
        QCustomPlot* plot = bench().evidence().plot();
        const QCPRange whole = plot->xAxis->range();
        plot->xAxis->setRange(1, 2);
        QTest::mouseDClick(plot, Qt::LeftButton, {}, plot->axisRect()->center());
        QVERIFY(std::abs(plot->xAxis->range().upper - whole.upper) < 1e-9);
        // Out as a picture and as numbers.
        for (const char* suffix : {"png", "csv"}) {
            m_answers->save = at("plot.") + suffix;
            QVERIFY(chooseAt(*plot, plot->axisRect()->center(), QString(suffix) == "png" ? "Save it as a picture" : "Save its numbers"));
            QVERIFY(QFileInfo(m_answers->save).size() > 200);
            QVERIFY2(m_answers->suggested.contains("nebula-B"), qPrintable(m_answers->suggested));
        }
        QVERIFY(chooseAt(*plot, plot->axisRect()->center(), "Copy its numbers"));
        QVERIFY(QGuiApplication::clipboard()->text().contains(','));
        QVERIFY(chooseAt(*plot, plot->axisRect()->center(), "Copy the plot as a picture"));
        QVERIFY(!QGuiApplication::clipboard()->pixmap().isNull());
    }

    void aPointOfTheColourDiagramLightsItsStar() {
        bench().showEvidence("colour", "B");
        view().fitFrame();
        view().setMarks({});
        view().finish();
        const QImage before = view().grab().toImage();
        QCustomPlot* plot = bench().evidence().plot();
        plot->replot();
        const auto first = plot->graph(0)->data()->constBegin() + plot->graph(0)->dataCount() / 2;
        QTest::mouseClick(plot, Qt::LeftButton, {}, QPoint(qRound(plot->xAxis->coordToPixel(first->key)), qRound(plot->yAxis->coordToPixel(first->value))));
        view().finish();
        QVERIFY(view().grab().toImage() != before);
    }

    void aRegionMenuOffersWhatFits() {
        view().setShowRegions(true);
        view().fitFrame();
        const auto withMenu = [&](Point p, const QString& choice) { return chooseAt(view(), viewOf(p), choice); };
        const Point nebula = session().trial().regions.front().centre();
        QVERIFY(withMenu(nebula, "G"));
        QCOMPARE(session().trial().regions.front().channel, std::string("G"));
        QVERIFY(settled());
        QCOMPARE(session().results()->headline("B", "nebula_signal", "N1")->channel, std::string("G"));
        const std::size_t before = session().trial().regions.size();
        QVERIFY(withMenu({400, 60}, "A sky rectangle here"));
        QCOMPARE(session().trial().regions.size(), before + 1);
        session().undoStack().undo();
        QCOMPARE(session().trial().regions.size(), before);
        m_answers->name = "  the bright rim ";
        QVERIFY(withMenu(nebula, "Rename N1"));
        QCOMPARE(session().trial().regions.front().name, std::string("the bright rim"));
        QVERIFY(!session().trial().regions.front().guessed);
        m_answers->name = QString(); // thought better of it
        QVERIFY(withMenu(nebula, "Rename N1"));
        QCOMPARE(session().trial().regions.front().name, std::string("the bright rim"));
        QVERIFY(withMenu(nebula, "Show its pixels"));
        QVERIFY(view().pictureOf(view().current()).contains(QPointF(nebula.x, nebula.y)));
        view().fitFrame();
        QVERIFY(withMenu(nebula, "Delete N1"));
        QCOMPARE(session().trial().regions.size(), before - 1);
        session().undoStack().undo();
        // Proposed ones come beside what a person drew, and what was drawn stays.
        const std::vector<Region> drawn = session().trial().regions;
        QVERIFY(settled());
        QVERIFY(withMenu({400, 60}, "Propose regions"));
        for (const Region& r : drawn)
            if (!r.guessed) QVERIFY(std::find(session().trial().regions.begin(), session().trial().regions.end(), r) != session().trial().regions.end());
        QVERIFY(!withMenu(nebula, "Copy regions from")); // there is no other trial
    }

    void aRunMenuDoesWhatItSays() {
        const auto onRun = [&](int row, const QString& choice) {
            LaneList& lanes = bench().lanes();
            const QPoint place = lanes.visualRect(lanes.model()->index(row, 0)).center();
            QTest::mouseClick(lanes.viewport(), Qt::LeftButton, {}, place);
            return chooseAt(*lanes.viewport(), place, choice);
        };
        QVERIFY(onRun(1, "Left of the curtain"));
        QVERIFY(view().mode() == FrameView::Mode::Curtain);
        QTest::keyClick(&view(), Qt::Key_C);
        // Its facts, corrected and undone.
        whenAsked<RunFactsDialog>([](RunFactsDialog& dialog) {
            byName<QLineEdit>(dialog, "Sub exposure (s)")->setText("75");
            dialog.accept();
        });
        QVERIFY(onRun(1, "Correct the facts of run B"));
        QCOMPARE(*session().trial().run("B")->sub_exposure_s, 75.0);
        session().undoStack().undo();
        QVERIFY(settled());
        // The baseline can neither be taken out nor be taken as one.
        QVERIFY(!onRun(0, "Remove from the trial") && !onRun(0, "Take as baseline"));
        // Another baseline: what was slower is faster, by the inverse; back again by undo.
        const Measurement* before = session().results()->headline("B", "background_ratio");
        QVERIFY(before);
        const double ratio = before->value;
        QVERIFY(onRun(1, "Take as baseline"));
        QCOMPARE(session().trial().baseline()->id, std::string("B"));
        QVERIFY(settled());
        const Measurement* after = session().results()->headline("A", "background_ratio");
        QVERIFY(after && std::abs(after->value * ratio - 1) < 0.02);
        session().undoStack().undo();
        QCOMPARE(session().trial().baseline()->id, std::string("A"));
        QVERIFY(settled());
        QVERIFY(onRun(2, "Remove from the trial"));
        QCOMPARE(session().trial().runs.size(), std::size_t{2});
        QCOMPARE(bench().lanes().model()->rowCount(), 2);
        session().undoStack().undo();
        QCOMPARE(bench().lanes().model()->rowCount(), 3);
        // Its stack lies elsewhere: the run keeps its facts.
        QVERIFY(QFile::copy(at("trial/B.fits"), at("moved.fits")));
        m_answers->save = at("moved.fits");
        QVERIFY(onRun(1, "Its stack lies elsewhere"));
        QCOMPARE(QFileInfo(QString::fromStdString(session().trial().run("B")->stack)).fileName(), QString("moved.fits"));
        QVERIFY(settled());
        QVERIFY(session().results()->headline("B", "background"));
        session().undoStack().undo();
        QVERIFY(QFile::remove(at("moved.fits")));
    }

    /// A click beside a bright star means the star.
    void haloMarksSnapToTheStar() {
        Point star;
        for (const Region& r : session().trial().regions)
            if (r.role == RegionRole::HaloStar) star = r.points.front();
        QVERIFY(star.x > 0);
        view().zoomTo(2, view().pictureOf(view().current()).center());
        view().showRegion({"x", RegionRole::HaloStar, RegionShape::Star, {star}, 0, "", "", false});
        QTest::keyClick(trialBox(), Qt::Key_H);
        QTest::mouseClick(&view(), Qt::LeftButton, {}, viewOf({star.x + 3, star.y - 2}));
        const Region& drawn = session().trial().regions.back();
        QVERIFY(drawn.role == RegionRole::HaloStar);
        QVERIFY2(std::hypot(drawn.points[0].x - star.x, drawn.points[0].y - star.y) < 0.7,
                 qPrintable(QString("%1 %2 for %3 %4").arg(drawn.points[0].x).arg(drawn.points[0].y).arg(star.x).arg(star.y)));
        // The scores are of the star that is chosen now.
        QCOMPARE(view().selected().toStdString(), drawn.id);
    }

    void numbersAreNeverCut() {
        for (const auto& [width, font] : {std::pair{1000, 12}, {1000, 24}, {1280, 18}}) {
            m_window->resize(width, 650);
            qApp->setStyleSheet(qApp->styleSheet() + QString("\nQWidget { font-size: %1px; }").arg(font));
            QTest::qWait(50);
            for (const Score& score : scores()) {
                ScorePanel* panel = bench().panel(QString::fromStdString(std::string(score.id)));
                QVERIFY(panel->width() >= panel->minimumSizeHint().width() && panel->height() >= panel->minimumSizeHint().height());
                for (const ScoreRow& row : panel->rows()) QVERIFY(panel->fontMetrics().horizontalAdvance(row.text) < panel->width() - 26);
            }
        }
        m_window->setTheme(ThemeKind::Grey);
    }

    void scoresSortAndSayWhatTheyAreOf() {
        ScorePanel* nebula = bench().panel("nebula");
        QCOMPARE(nebula->rows().front().run, QString("A"));
        bench().board().setBestFirst(true);
        double before = 1e300;
        for (const ScoreRow& row : nebula->rows())
            if (row.value) {
                QVERIFY(*row.value <= before);
                before = *row.value;
            }
        QVERIFY(!nebula->rows().back().value);
        QVERIFY2(nebula->accessibleName().contains("N1") && nebula->accessibleDescription().contains("more is better"), qPrintable(nebula->accessibleName()));
        QVERIFY(bench().panel("gradient")->accessibleDescription().contains("less is better"));
        // Another region is chosen: the score and the sentence are of that one.
        view().select("N2");
        QVERIFY(nebula->accessibleName().contains("N2"));
        const Measurement* m = session().results()->headline("B", "time_ratio", "N2");
        for (const ScoreRow& row : nebula->rows())
            if (row.run == "B" && m) QCOMPARE(*row.value, m->value);
        bench().board().setBestFirst(false);
        // By keys: down a row, its evidence follows.
        nebula->setFocus();
        bench().flipTo("A");
        QTest::keyClick(nebula, Qt::Key_Down);
        QCOMPARE(view().current(), QString("B"));
        QCOMPARE(bench().currentScore(), QString("nebula"));
    }

    void aSingleSubStandsBesideItsStack() {
        m_answers->save = at("trial/B.fits");
        bench().askSingleSub("B");
        QVERIFY(QTest::qWaitFor([&] { return view().lanes().size() == 4; }, 60'000));
        QCOMPARE(view().lanes()[1].run, QString("B"));
        QVERIFY2(view().lanes()[2].label.contains("single sub"), qPrintable(view().lanes()[2].label));
        QCOMPARE(view().current(), view().lanes()[2].run);
        QCOMPARE(bench().lanes().currentRun(), QString("B")); // its scores are those of the stack
        // The same frame as both: the same place of the sky, the same grey.
        const QPoint middle = view().pictureOf(view().current()).center().toPoint();
        const int sub = greyAt(middle);
        QTest::keyClick(trialBox(), Qt::Key_2);
        QVERIFY(std::abs(greyAt(middle) - sub) < 8);
        QTest::keyClick(trialBox(), Qt::Key_BracketRight);
        QCOMPARE(view().current(), view().lanes()[2].run);
        // Another trial has a run of that name too: no sub of this one stands beside it.
        QVERIFY(session().addTrial(session().trial()).ok());
        QCOMPARE(view().lanes().size(), std::size_t{3});
        m_answers->save = at("trial/trial.json");
        bench().askSingleSub("B");
        QVERIFY(QTest::qWaitFor([&] { return problem().contains("trial.json"); }, 10'000));
    }

    void theKeysAreThoseOfTheScreen() {
        m_window->showKeys();
        const auto all = [&] {
            QStringList out;
            auto* table = m_window->keysDialog()->findChild<QTableWidget*>();
            for (int i = 0; i < table->rowCount(); ++i) out << table->item(i, 1)->text();
            return out;
        };
        const QStringList here = all();
        QVERIFY(here.contains("A curtain between two pictures") && here.contains("The baseline, for as long"));
        m_window->showWorkspace(MainWindow::Workspace::SkyGrid);
        m_window->showKeys();
        QVERIFY(!all().contains("The baseline, for as long") && all().contains("The other predicted picture"));
        m_window->keysDialog()->hide();
    }
};

CAELUMEN_WINDOW_TEST(BenchViewTest)
#include "bench_view_test.moc"
