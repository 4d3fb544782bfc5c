#include "app/bench/bench.h"
#include "app/kit/chart_dialog.h"
#include "app/kit/filter_dialog.h"
#include "app/kit/filter_table.h"
#include "app/kit/ghost_panel.h"
#include "app/kit/kit.h"
#include "app/kit/passband_plot.h"
#include "app/kit/site_dialog.h"
#include "app/main_window.h"
#include "app/night/night.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QAction>
#include <QClipboard>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenuBar>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSettings>
#include <QSlider>
#include <QTabWidget>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTimer>
#include <QToolButton>
#include <qcustomplot.h>

using namespace caelumen;

/// The Kit in the real window: choosing filters, moving the cone, taking curves.
class KitTest : public QObject, protected KitFixture {
    Q_OBJECT

private slots:
    void initTestCase() { makeScene(); }
    void init() { openWindow(); }
    void cleanup() { m_window.reset(); }

    void theSwitchGoesBetweenWorkspaces() {
        QTest::keyClick(m_window.get(), Qt::Key_4, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        QVERIFY(m_window->bench().isVisible() && !kit().isVisible());
        for (QToolButton* button : m_window->findChildren<QToolButton*>())
            if (button->text() == "Kit") QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(kit().isVisible());
    }

    void aClickedFilterTellsItsBands() {
        clickFilter(2);
        QCOMPARE(kit().currentFilter(), QString("duo3"));
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{2});
        QVERIFY(std::abs(kit().facts().report.bands[1].normal.center_nm - 656.3) < 0.05); // as the demo's filter is made
        QVERIFY(said().contains("Twinline 3") && said().contains("656.30"));
        clickFilter(0);
        QVERIFY(said().contains("broadband") || said().contains("keeps its lines"));
    }

    void theConeComesFromTheRigAndMovesByKey() {
        clickFilter(2);
        QVERIFY(std::abs(kit().cone().fRatio - 5.0) < 0.05); // 420 mm over 84 mm
        const double before = kit().facts().report.bands[1].effective->center_nm;
        kit().ratioSlider().setFocus();
        for (int i = 0; i < 6; ++i) QTest::keyClick(&kit().ratioSlider(), Qt::Key_PageDown);
        QVERIFY(kit().cone().fRatio < 3);
        QVERIFY(kit().facts().report.bands[1].effective->center_nm < before - 0.5);
        QVERIFY(said().contains("loses more than a tenth"));
    }

    void aDroppedCurveIsTakenAndUndone() {
        clickFilter(1);
        drop(at("mine.csv"));
        QCOMPARE(m_window->session().trial().filter("duo7")->curve, at("mine.csv").toStdString());
        QCOMPARE(kit().currentFilter(), QString("duo7"));
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{1});
        QVERIFY(std::abs(kit().facts().report.bands[0].normal.center_nm - 656.3) < 0.01);
        QVERIFY(said().contains("the curve has no band there")); // the maker claimed oxygen too
        m_window->session().undoStack().undo();
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{2});
    }

    void theButtonAsksForACurve() {
        clickFilter(1);
        m_answers->save = at("mine.csv");
        for (QPushButton* button : kit().findChildren<QPushButton*>())
            if (button->text().startsWith("Import")) QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{1});
    }

    /// A chart with a plain triangle is dropped, marked and followed; its curve lands in a file and in the trial.
    void aDroppedChartBecomesACurve() {
        QImage image(700, 500, QImage::Format_RGB32);
        image.fill(Qt::white);
        QPainter p(&image);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(QColor(180, 30, 30), 2.5));
        p.drawPolyline(QPolygonF({{60, 440}, {300, 440}, {340, 80}, {380, 440}, {640, 440}})); // 400 nm at x = 60, 2 px a nm; 0 at y = 440, 400 px tall
        p.end();
        QVERIFY(image.save(at("chart.png")));
        clickFilter(1);
        m_answers->save = at("chart.csv");
        whenAsked<ChartDialog>([](ChartDialog& dialog) {
            const auto click = [&](double x, double y) {
                QTest::mouseClick(&dialog.view(), Qt::LeftButton, {}, dialog.view().toWidget({x - 0.5, y - 0.5}).toPoint());
            };
            click(60, 440);
            click(660, 440);
            click(60, 440);
            click(60, 40);
            click(200, 440);
            const bool read = QTest::qWaitFor([&] { return !dialog.curve().empty(); }, 20'000);
            dialog.done(read ? QDialog::Accepted : QDialog::Rejected);
        });
        drop(at("chart.png"));
        QVERIFY(QTest::qWaitFor([&] { return m_window->session().trial().filter("duo7")->curve == at("chart.csv").toStdString(); }, 20'000));
        QCOMPARE(m_answers->suggested, at("chart.csv"));
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{1});
        QVERIFY2(std::abs(kit().facts().report.bands[0].normal.center_nm - 540) < 1.5,
                 qPrintable(QString::number(kit().facts().report.bands[0].normal.center_nm)));
        QVERIFY(std::abs(kit().facts().report.bands[0].normal.peak - 0.9) < 0.02);
    }

    void aPictureThatIsNoneIsOneSentence() {
        clickFilter(1);
        QVERIFY(writeFile(m_folder / "broken.png", "not a picture").ok());
        drop(at("broken.png"));
        QTRY_VERIFY2(problem().contains("broken.png"), qPrintable(problem()));
    }

    void aStarterFilterIsAddedAndTakenAway() {
        const auto before = m_window->session().trial().filters.size();
        QVERIFY(chooseFromMenu("Moss"));
        QCOMPARE(m_window->session().trial().filters.size(), before + 1);
        QCOMPARE(kit().currentFilter(), QString("starter-green"));
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{1});
        QVERIFY(said().contains("535"));
        QVERIFY(chooseFromMenu("Remove this filter"));
        QCOMPARE(m_window->session().trial().filters.size(), before);
        clickFilter(1); // a run was made with this one
        QVERIFY(chooseFromMenu("Remove this filter"));
        QCOMPARE(m_window->session().trial().filters.size(), before);
        QVERIFY2(problem().contains("stays"), qPrintable(problem()));
    }

    void gapsAreEditedAndHalosSolved() {
        clickFilter(1);
        kit().lower().setCurrentIndex(1);
        GhostPanel& ghosts = kit().ghosts();
        const auto before = m_window->session().trial().rig.gaps_mm;
        for (QPushButton* b : ghosts.findChildren<QPushButton*>())
            if (b->text() == "Add") QTest::mouseClick(b, Qt::LeftButton);
        auto* editor = ghosts.gaps().findChild<QLineEdit*>();
        QVERIFY(editor);
        QTest::keyClicks(editor, "7,5");
        QTest::keyClick(editor, Qt::Key_Return);
        QTRY_COMPARE(m_window->session().trial().rig.gaps_mm.size(), before.size() + 1);
        QVERIFY(std::any_of(m_window->session().trial().rig.gaps_mm.begin(), m_window->session().trial().rig.gaps_mm.end(),
                            [](const auto& g) { return g.second == 7.5; }));
        // 7.5 mm at f/5 are 1.5 mm of pupil: the halo is 2 x 7.5 / 5 = 3 mm wide
        const double pixel = *m_window->session().trial().rig.pixel_um;
        ghosts.diameter().setValue(std::round(3000 / pixel));
        QVERIFY2(std::abs(ghosts.gap().value() - 7.5) < 0.12, qPrintable(QString::number(ghosts.gap().value())));
        QVERIFY2(ghosts.answer().startsWith("Fits ") && ghosts.answer().contains("7.50 mm"), qPrintable(ghosts.answer()));
        ghosts.gap().setValue(40);
        QCOMPARE(ghosts.answer(), QString("Fits no known gap of the rig."));
        ghosts.gaps().item(0, 1)->setText("much");
        QVERIFY(ghosts.answer().contains("no distance"));
        QVERIFY(ghosts.gaps().item(0, 1)->text() != "much");
        m_window->session().undoStack().undo();
        QCOMPARE(m_window->session().trial().rig.gaps_mm, before);
        QCOMPARE(ghosts.gaps().rowCount(), static_cast<int>(before.size()));
    }

    void thePlaceIsDescribed() {
        QVERIFY(writeFile(m_folder / "horizon.csv", "azimuth,altitude\n0,10\n120,25\n240,5\n").ok());
        m_answers->save = at("horizon.csv");
        const std::vector<HorizonPoint> before = m_window->session().trial().site.horizon;
        whenAsked<SiteDialog>([](SiteDialog& dialog) {
            dialog.importHorizon();
            dialog.findChildren<QPlainTextEdit*>()[1]->setPlainText("nonsense");
            dialog.accept();
            QVERIFY(dialog.isVisible()); // said, not taken
            dialog.findChildren<QPlainTextEdit*>()[1]->setPlainText("310, 1.4, 25\n90");
            QWidget* drawing = dialog.horizonDrawing(); // at 90 degrees, some way up
            QTest::mouseClick(drawing, Qt::LeftButton, {}, {drawing->width() / 4, drawing->height() / 2});
            dialog.accept();
        });
        QVERIFY(chooseFromMenu(QString::fromUtf8("Place of the trial \u2026")));
        const Site& site = m_window->session().trial().site;
        QCOMPARE(site.horizon.size(), std::size_t{4});
        QCOMPARE(site.horizon[1].azimuth_deg, 90.0);
        QVERIFY(site.horizon[1].altitude_deg > 25 && site.horizon[1].altitude_deg < 55);
        QCOMPARE(site.domes.size(), std::size_t{2});
        QCOMPARE(site.domes[0].strength, 1.4);
        m_window->session().undoStack().undo();
        QVERIFY(m_window->session().trial().site.horizon == before);
    }

    void whatIsForetoldStandsBesideWhatWasMeasured() {
        QVERIFY(QTest::qWaitFor([&] { return m_window->session().results() && m_window->session().resultsAreCurrent() && !m_window->session().jobs().busy(); },
                                120'000));
        clickFilter(1);
        QVERIFY(!kit().facts().starThroughput.empty());
        QVERIFY2(said().contains("foretold") && said().contains("measured"), qPrintable(said()));
        for (const SystemChannel& c : kit().facts().system) {
            const auto m = kit().facts().starThroughput.find(c.name);
            if (m != kit().facts().starThroughput.end()) {
                const auto& open = kit().facts().baselineSystem;
                const double foretold =
                    c.starlight / std::find_if(open.begin(), open.end(), [&](const SystemChannel& o) { return o.name == c.name; })->starlight;
                // The virtual night's stars are of all colours, the foretold one is like the sun.
                QVERIFY2(std::abs(m->second.value / foretold - 1) < 0.3,
                         qPrintable(QString("%1: %2 measured, %3 foretold").arg(c.name.c_str()).arg(m->second.value).arg(foretold)));
            }
        }
        QVERIFY(!kit().facts().nebulaThroughput.empty());
        QVERIFY2(said().contains("Nebula light that stays"), qPrintable(said()));
        QVERIFY(said().contains(QString::fromUtf8("e\u207B/s/px")));
    }

    void theMakersCurveStandsBesideTheMeasuredOne() {
        clickFilter(2); // no claim in words: the maker's curve is the claim
        m_answers->save = at("mine.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Import the maker's curve \u2026")));
        QCOMPARE(kit().facts().claims.size(), std::size_t{1});
        QVERIFY2(kit().facts().claims[0].text.find("656.3") != std::string::npos, kit().facts().claims[0].text.c_str());
        m_window->session().undoStack().undo();
        QVERIFY(kit().facts().claims.empty());
    }

    void aTiltMovesTheBands() {
        clickFilter(2);
        const double before = kit().facts().report.bands[1].effective->center_nm;
        for (QDoubleSpinBox* box : kit().findChildren<QDoubleSpinBox*>())
            if (box->accessibleName() == "Tilt") box->setValue(6);
        QVERIFY(kit().facts().report.bands[1].effective->center_nm < before - 0.5);
    }

    void theToleranceIsThePersons() {
        clickFilter(1);
        whenAsked<QDialog>([](QDialog& dialog) {
            dialog.findChildren<QLineEdit*>()[1]->setText("0.1");
            dialog.accept();
        });
        const auto before = kit().facts().tolerance;
        emit kit().page().anchorClicked(QUrl("tolerance"));
        QVERIFY(std::abs(kit().facts().tolerance.fwhm - 0.001) < 1e-9);
        QVERIFY(std::abs(kit().facts().tolerance.center_nm - before.center_nm) < 1e-9);
        QSettings().remove("kit");
    }

    void photosBelongToAFilter() {
        QImage picture(900, 600, QImage::Format_RGB32);
        picture.fill(Qt::darkCyan);
        QVERIFY(picture.save(at("photo.jpg")));
        clickFilter(1);
        m_answers->save = at("photo.jpg");
        whenAsked<FilterDialog>([this](FilterDialog& dialog) {
            dialog.addPhoto();
            m_answers->save = at("bad.csv"); // no picture: said, not taken
            dialog.addPhoto();
            dialog.accept();
        });
        kit().askFacts();
        const auto& photos = m_window->session().trial().filter("duo7")->photos;
        QCOMPARE(photos.size(), std::size_t{1});
        QCOMPARE(photos[0], at("photo.jpg").toStdString());
        QVERIFY(kit().page().toHtml().contains("photo.jpg"));
        // Taken away again, by its button and by undo.
        const auto open = [&](const std::function<void(FilterDialog&)>& act) {
            whenAsked<FilterDialog>([act](FilterDialog& dialog) {
                act(dialog);
                dialog.accept();
            });
            kit().askFacts();
        };
        const auto remove = [](FilterDialog& dialog) {
            for (QPushButton* b : dialog.findChildren<QPushButton*>())
                if (b->text() == "Remove the photo") QTest::mouseClick(b, Qt::LeftButton);
        };
        open(remove); // none is chosen
        QCOMPARE(m_window->session().trial().filter("duo7")->photos.size(), std::size_t{1});
        open([&](FilterDialog& dialog) {
            byName<QListWidget>(dialog, "Photos")->setCurrentRow(0);
            remove(dialog);
        });
        QVERIFY(m_window->session().trial().filter("duo7")->photos.empty());
        QVERIFY(QFile::exists(at("photo.jpg")));
        m_window->session().undoStack().undo();
        QCOMPARE(m_window->session().trial().filter("duo7")->photos.size(), std::size_t{1});
    }

    void aFileThatIsNoCurveIsOneSentence() {
        clickFilter(1);
        const std::string before = m_window->session().trial().filter("duo7")->curve;
        drop(at("bad.csv"));
        QVERIFY(problem().contains("bad.csv") && problem().contains("at least three lines"));
        QCOMPARE(m_window->session().trial().filter("duo7")->curve, before);
    }

    void claimsAreReadAsPeopleWriteThem() {
        const auto claims = claimsFromText("656.3, 7, 90 %\n500.7 nm / 3 nm / 0.88\n\n672");
        QVERIFY(claims.ok());
        const std::vector<BandClaim> expected{{656.3, 7.0, 0.9}, {500.7, 3.0, 0.88}, {672, std::nullopt, std::nullopt}};
        QVERIFY(*claims == expected);
        QVERIFY(*claimsFromText(claimsToText(expected)) == expected);
        QVERIFY(*claimsFromText("656,3, 7,5, 90 %") == (std::vector<BandClaim>{{656.3, 7.5, 0.9}}) &&
                *claimsFromText("656.3,7,90") == (std::vector<BandClaim>{{656.3, 7.0, 0.9}}));
        for (const char* bad : {"none", "5, 7, 90", "656.3, 7, 90, 4", "656.3, 0, 90"}) QVERIFY2(!claimsFromText(bad).ok(), bad);
    }

    // The dialog is filled while it runs its own loop.
    void factsAreEditedInADialogAndUndone() {
        clickFilter(1);
        QString complaint;
        whenAsked<FilterDialog>([&](FilterDialog& dialog) {
            auto* claims = dialog.findChildren<QPlainTextEdit*>().front();
            claims->setPlainText("nonsense");
            dialog.accept();
            for (const QLabel* l : dialog.findChildren<QLabel*>())
                if (l->text().contains("nonsense")) complaint = l->text();
            claims->setPlainText("500.7, 5, 90 %");
            for (QLineEdit* e : dialog.findChildren<QLineEdit*>())
                if (e->placeholderText().contains("1.8")) e->setText("1,6");
            dialog.accept();
        });
        for (QPushButton* button : kit().findChildren<QPushButton*>())
            if (button->text().startsWith("Facts")) QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(complaint.contains("no claimed band"));
        QCOMPARE(m_window->session().trial().filter("duo7")->claims.size(), std::size_t{1});
        QCOMPARE(*m_window->session().trial().filter("duo7")->effective_index, 1.6);
        QCOMPARE(kit().cone().effectiveIndex, 1.6);
        QVERIFY(said().contains("7.0 nm wide, not 5"));
        m_window->session().undoStack().undo();
        QCOMPARE(m_window->session().trial().filter("duo7")->claims.size(), std::size_t{2});
    }

    // A band to the red of its line, claimed to sit on the line at f/2.2.
    void shiftedBandsAreHeldAgainstTheirOwnCone() {
        Trial changed = m_window->session().trial();
        for (Filter& f : changed.filters)
            if (f.id == "duo7") f.curve = at("shifted.csv").toStdString(), f.claims = {{656.3, std::nullopt, std::nullopt}};
        m_window->session().edit("Shifted", changed);
        clickFilter(1);
        QVERIFY(!kit().facts().claims.front().holds);
        for (Filter& f : changed.filters) f.made_for_f_ratio = 2.2;
        m_window->session().edit("Made for fast optics", changed);
        QVERIFY2(kit().facts().claims.front().holds, kit().facts().claims.front().text.c_str());
    }

    void theTablesCopyAsText() {
        clickFilter(2);
        for (const QAction* menu : m_window->menuBar()->actions())
            for (QAction* a : menu->menu()->actions())
                if (a->text().startsWith("Copy what the curve")) {
                    QVERIFY(a->isEnabled());
                    a->trigger();
                }
        const QString text = QGuiApplication::clipboard()->text();
        QVERIFY(text.contains("656.30\t3.00") && text.contains("low-pressure sodium\t"));
    }

    void deletingBelongsToTheBench() {
        const std::size_t before = m_window->session().trial().regions.size();
        m_window->bench().view().select(QString::fromStdString(m_window->session().trial().regions[0].id));
        QTest::keyClick(m_window.get(), Qt::Key_Delete);
        QCOMPARE(m_window->session().trial().regions.size(), before);
    }

    void redIsRedHereToo() {
        clickFilter(2);
        m_window->setTheme(ThemeKind::Red);
        QCoreApplication::processEvents(); // plots repaint when the window comes round to it
        const QImage picture = m_window->grab().toImage();
        for (int y = 0; y < picture.height(); y += 3)
            for (int x = 0; x < picture.width(); x += 3) {
                const QColor c = picture.pixelColor(x, y);
                QVERIFY2(c.blue() <= 90 && c.green() <= 110, qPrintable(QString("%1,%2: %3").arg(x).arg(y).arg(c.name())));
            }
        m_window->setTheme(ThemeKind::Grey);
    }
};

CAELUMEN_WINDOW_TEST(KitTest)
#include "kit_test.moc"
