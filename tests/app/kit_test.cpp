#include "app/bench/bench.h"
#include "app/kit/chart_dialog.h"
#include "app/kit/filter_dialog.h"
#include "app/kit/kit.h"
#include "app/kit/passband_plot.h"
#include "app/main_window.h"

#include "core/base/file.h"
#include "support/answers.h"
#include "support/scenes.h"
#include "support/window.h"

#include <QClipboard>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenuBar>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSettings>
#include <QSlider>
#include <QStandardPaths>
#include <QTextBrowser>
#include <QTimer>
#include <QToolButton>
#include <qcustomplot.h>

using namespace caelumen;

/// The Kit in the real window: choosing filters, moving the cone, taking curves.
class KitTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
    Answers* m_answers = nullptr;

    QString at(const char* name) const { return QString::fromStdString((m_folder / name).string()); }
    Kit& kit() { return m_window->kit(); }
    QString said() { return kit().page().toPlainText(); }
    void drop(const QString& file) { dropOn(*m_window, {file}); }
    QString problem() const { return problemIn(*m_window); }
    void clickFilter(int row) {
        QListWidget& list = kit().filters();
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualItemRect(list.item(row)).center());
    }

private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("CaelumenTest");
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, at("settings"));
        SimulatedTrial s = scenes::smallTrial({"open", "duo7", "duo3"}, 640);
        s.trial.filters[1].claims = {{500.7, 7, 0.9}, {656.3, 7, 0.9}};
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        QVERIFY(writeFile(m_folder / "mine.csv", "wavelength;T\n640,0;0,0\n655,0;0,0\n655,1;80,0\n657,5;80,0\n657,6;0,0\n680,0;0,0\n").ok());
        // 656.3 nm at f/2.2 and index 1.8 comes from 656.3 / (1 - 1 / (16 x 2.2^2 x 1.8^2)) = 658.9 nm
        QVERIFY(writeFile(m_folder / "shifted.csv", "640,0\n656.8,0\n656.9,0.9\n660.9,0.9\n661,0\n680,0\n").ok());
        QVERIFY(writeFile(m_folder / "bad.csv", "nothing here\n").ok());
    }

    void init() {
        auto answers = std::make_unique<Answers>();
        m_answers = answers.get();
        m_window = std::make_unique<MainWindow>(std::move(answers));
        m_window->show();
        QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
        m_window->openCampaign(at(QTest::currentTestFunction()) + ".caelumen");
        drop(at("trial/trial.json"));
        m_window->showWorkspace(MainWindow::Workspace::Kit);
        QVERIFY(m_window->session().hasTrial());
    }
    void cleanup() { m_window.reset(); }

    void theSwitchGoesBetweenWorkspaces() {
        QTest::keyClick(m_window.get(), Qt::Key_2, Qt::AltModifier);
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
        QTimer::singleShot(200, this, [] {
            auto* dialog = qobject_cast<ChartDialog*>(QApplication::activeModalWidget());
            QVERIFY(dialog);
            const auto click = [&](double x, double y) { QTest::mouseClick(&dialog->view(), Qt::LeftButton, {}, dialog->view().toWidget({x - 0.5, y - 0.5}).toPoint()); };
            click(60, 440);
            click(660, 440);
            click(60, 440);
            click(60, 40);
            click(200, 440);
            const bool read = QTest::qWaitFor([&] { return !dialog->curve().empty(); }, 20'000);
            dialog->done(read ? QDialog::Accepted : QDialog::Rejected); // never left open
        });
        drop(at("chart.png"));
        QVERIFY(QTest::qWaitFor([&] { return m_window->session().trial().filter("duo7")->curve == at("chart.csv").toStdString(); }, 20'000));
        QCOMPARE(m_answers->suggested, at("chart.csv"));
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{1});
        QVERIFY2(std::abs(kit().facts().report.bands[0].normal.center_nm - 540) < 1.5, qPrintable(QString::number(kit().facts().report.bands[0].normal.center_nm)));
        QVERIFY(std::abs(kit().facts().report.bands[0].normal.peak - 0.9) < 0.02);
    }

    void aPictureThatIsNoneIsOneSentence() {
        clickFilter(1);
        QVERIFY(writeFile(m_folder / "broken.png", "not a picture").ok());
        drop(at("broken.png"));
        QTRY_VERIFY2(problem().contains("broken.png"), qPrintable(problem()));
    }

    void aFileThatIsNoCurveIsOneSentence() {
        clickFilter(1);
        const std::string before = m_window->session().trial().filter("duo7")->curve;
        drop(at("bad.csv"));
        QVERIFY(problem().contains("bad.csv") && problem().contains("at least three lines"));
        QCOMPARE(m_window->session().trial().filter("duo7")->curve, before);
    }

    void aFilterWithoutCurveSaysWhatToDo() {
        Trial changed = m_window->session().trial();
        changed.filters[1].curve.clear();
        m_window->session().edit("No curve", changed);
        clickFilter(1);
        QVERIFY(said().contains("Import one, or drop"));
    }

    void claimsAreReadAsPeopleWriteThem() {
        const auto claims = claimsFromText("656.3, 7, 90 %\n500.7 nm / 3 nm / 0.88\n\n672");
        QVERIFY(claims.ok());
        const std::vector<BandClaim> expected{{656.3, 7.0, 0.9}, {500.7, 3.0, 0.88}, {672, std::nullopt, std::nullopt}};
        QVERIFY(*claims == expected);
        QVERIFY(*claimsFromText(claimsToText(expected)) == expected);
        QVERIFY(*claimsFromText("656,3, 7,5, 90 %") == (std::vector<BandClaim>{{656.3, 7.5, 0.9}}) && *claimsFromText("656.3,7,90") == (std::vector<BandClaim>{{656.3, 7.0, 0.9}}));
        for (const char* bad : {"none", "5, 7, 90", "656.3, 7, 90, 4", "656.3, 0, 90"}) QVERIFY2(!claimsFromText(bad).ok(), bad);
    }

    // The dialog is filled while it runs its own loop.
    void factsAreEditedInADialogAndUndone() {
        clickFilter(1);
        QString complaint;
        QTimer::singleShot(0, this, [&] {
            auto* dialog = qobject_cast<FilterDialog*>(QApplication::activeModalWidget());
            QVERIFY(dialog);
            auto* claims = dialog->findChildren<QPlainTextEdit*>().front();
            claims->setPlainText("nonsense");
            dialog->accept();
            for (const QLabel* l : dialog->findChildren<QLabel*>())
                if (l->text().contains("nonsense")) complaint = l->text();
            claims->setPlainText("500.7, 5, 90 %");
            for (QLineEdit* e : dialog->findChildren<QLineEdit*>())
                if (e->placeholderText().contains("1.8")) e->setText("1,6");
            dialog->accept();
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

QTEST_MAIN(KitTest)
#include "kit_test.moc"
