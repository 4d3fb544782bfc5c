#include "app/bench/bench.h"
#include "app/grid/grid_text.h"
#include "app/grid/moon_map.h"
#include "app/grid/predicted_view.h"
#include "app/grid/sky_grid.h"
#include "app/grid/slice_plot.h"
#include "app/night/night.h"
#include "core/base/json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QMenuBar>
#include <QSlider>
#include <QTabWidget>
#include <qcustomplot.h>

using namespace caelumen;

/// The Sky grid in the real window: asking, turning about, reading cells, and what leaves it.
class SkyGridTest : public QObject, protected KitFixture {
    Q_OBJECT

    SkyGrid& grid() { return m_window->skyGrid(); }
    QString page() { return grid().page().toPlainText(); }
    const GridCell& cell(int row, int column) { return grid().model().cells().at(static_cast<std::size_t>(row * 9 + column)); }
    bool ready() {
        return QTest::qWaitFor([this] { return grid().model().grid() && !grid().model().busy(); }, 60'000);
    }
    void click(int row, int column) { QTest::mouseClick(&grid().map(), Qt::LeftButton, {}, grid().map().placeOf(row * 9 + column).center().toPoint()); }
    template<class Widget>
    Widget* named(const char* name) {
        return byName<Widget>(grid(), name);
    }
    /// A choice made with the keys.
    void choose(QComboBox& box, int index) {
        box.setFocus();
        QTest::keyClick(&box, Qt::Key_Home);
        for (int i = 0; i < index; ++i) QTest::keyClick(&box, Qt::Key_Down);
        emit box.activated(box.currentIndex());
    }
    QAction* menuEntry(const QString& text) {
        for (QAction* a : m_window->findChildren<QAction*>())
            if (QString(a->text()).remove('&') == text) return a;
        return nullptr;
    }
    /// A link in the page, by its text.
    bool follow(const QString& text) {
        QTextDocument& doc = *grid().page().document();
        for (QTextBlock block = doc.begin(); block.isValid(); block = block.next())
            for (auto it = block.begin(); !it.atEnd(); ++it)
                if (it.fragment().charFormat().isAnchor() && it.fragment().text().contains(text)) {
                    emit grid().page().anchorClicked(QUrl(it.fragment().charFormat().anchorHref()));
                    return true;
                }
        return false;
    }

private slots:
    void initTestCase() { makeScene(); }

    void init() {
        openWindow();
        QVERIFY(QTest::qWaitFor([this] { return m_window->session().resultsAreCurrent(); }, 60'000));
        QTest::keyClick(m_window.get(), Qt::Key_5, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::SkyGrid);
        QVERIFY(ready());
    }
    void cleanup() { m_window.reset(); }

    void cellsAreFilledAndSayWhatTheyRestOn() {
        QCOMPARE(grid().model().cells().size(), std::size_t(3 * 9));
        int measured = 0;
        for (const GridCell& c : grid().model().cells()) measured += c.origin == CellOrigin::Measured;
        QVERIFY2(measured >= 1, qPrintable(QString::number(measured)));
        click(1, 7);
        QCOMPARE(grid().map().selected(), 9 + 7);
        QVERIFY2(page().contains("Twinline 7") && page().contains("Bortle 8"), qPrintable(page()));
        QVERIFY(page().contains("Where no filter wins") && page().contains("What to measure next") && page().contains("Places, and how the model meets them"));
        // Keys go from cell to cell; the name of a cell is spoken.
        QTest::keyClick(&grid().map(), Qt::Key_Left);
        QCOMPARE(grid().map().selected(), 9 + 6);
        QVERIFY(grid().map().accessibleDescription().contains("Bortle 7"));
        QTest::keyClick(&grid().map(), Qt::Key_Down);
        QCOMPARE(grid().map().selected(), 18 + 6);
        QCOMPARE(grid().model().filter(), QString("duo3"));
    }

    void askingForSomethingElseFillsTheGridAnew() {
        const double before = cell(1, 6).value;
        choose(grid().quantityBox(), static_cast<int>(GridQuantity::Background));
        QVERIFY(ready() && grid().model().question().quantity == GridQuantity::Background);
        QVERIFY(cell(1, 6).value != before && cell(1, 6).value > cell(1, 3).value); // a brighter sky
        choose(grid().kindBox(), static_cast<int>(TargetKind::Galaxy));
        choose(grid().quantityBox(), static_cast<int>(GridQuantity::TimeRatio));
        QVERIFY(ready());
        QVERIFY(cell(1, 6).origin != CellOrigin::Measured && cell(1, 6).value < before);
        for (const GridQuantity q : kGridQuantities) {
            choose(grid().quantityBox(), static_cast<int>(q));
            QVERIFY(ready());
        }
    }

    void theMoonAndTheWhatIfsAreFollowed() {
        choose(grid().moonBox(), 0);
        QVERIFY(ready());
        const double dark = cell(1, 4).value;
        choose(grid().moonBox(), 4);
        QVERIFY(ready() && grid().model().moon() && grid().model().moon()->illuminated == 1);
        QVERIFY(cell(1, 4).minutesOfDark);
        click(1, 4);
        QVERIFY2(page().contains("minutes without this moon"), qPrintable(page()));
        choose(grid().moonBox(), 0);
        QVERIFY(ready());
        QCOMPARE(cell(1, 4).value, dark);

        auto* fitted = named<QCheckBox>("");
        for (QCheckBox* c : grid().findChildren<QCheckBox*>())
            if (c->text() == "lamps as fitted") fitted = c;
        QVERIFY(fitted && fitted->isChecked());
        QTest::mouseClick(fitted, Qt::LeftButton, {}, {6, fitted->height() / 2});
        QVERIFY(ready() && grid().model().whatIf().ledShare);
        auto* lamps = named<QSlider>("Lamps, from sodium to LED");
        lamps->setFocus();
        QTest::keyClick(lamps, Qt::Key_Home);
        QVERIFY(ready());
        const double sodium = cell(1, 7).value;
        QTest::keyClick(lamps, Qt::Key_End);
        QVERIFY(ready());
        QVERIFY(cell(1, 7).value != sodium);
        QCOMPARE(grid().model().whatIf().ledShare.value(), 1.0);
    }

    void onesOwnMeterHasAColumn() {
        grid().readingBox().setFocus();
        grid().readingBox().selectAll();
        QTest::keyClicks(&grid().readingBox(), "20.60");
        QTest::keyClick(&grid().readingBox(), Qt::Key_Return);
        QVERIFY(ready());
        QCOMPARE(grid().model().cells().size(), std::size_t(3 * 10));
        const auto& skies = grid().model().question().skies;
        QVERIFY(skies[4].zenith_mag == 20.6 && !skies[4].bortle && *skies[5].bortle == 5);
        const double mine = grid().model().cells()[10 + 4].value, darker = grid().model().cells()[10 + 3].value,
                     brighter = grid().model().cells()[10 + 5].value;
        QVERIFY(mine > std::min(darker, brighter) && mine < std::max(darker, brighter));
    }

    void linesMoonAndPictureShowTheSame() {
        grid().tabs().setCurrentIndex(1);
        QVERIFY(grid().lines().plot().graphCount() >= 3);
        grid().tabs().setCurrentIndex(2);
        QVERIFY(!grid().model().lattice().values.empty() && !MoonMap::levels(grid().model().lattice()).empty());
        const QRectF body = grid().moonMap().body();
        QTest::mouseClick(&grid().moonMap(), Qt::LeftButton, {}, QPointF(body.center().x(), body.top() + 2).toPoint());
        QVERIFY(ready() && grid().model().moon() && grid().model().moon()->illuminated > 0.9);
        QTest::mouseClick(&grid().moonMap(), Qt::LeftButton, {}, QPointF(body.center().x(), body.bottom() - 1).toPoint());
        QVERIFY(ready() && !grid().model().moon());
        grid().tabs().setCurrentIndex(3);
        QVERIFY(ready() && grid().picture().hasPictures());
        QVERIFY(!grid().picture().showsBaseline());
        grid().picture().setFocus();
        QTest::keyClick(&grid().picture(), Qt::Key_Space);
        QVERIFY(grid().picture().showsBaseline());
        const double snr = (*grid().model().pictures())[1].snr;
        grid().hours().setFocus();
        QTest::keyClick(&grid().hours(), Qt::Key_End);
        QVERIFY(ready() && (*grid().model().pictures())[1].snr > 3 * snr);
    }

    void aCellLeadsToItsTrialAndAWishToANight() {
        int at = -1;
        for (int i = 0; i < static_cast<int>(grid().model().cells().size()); ++i)
            if (grid().model().cells()[static_cast<std::size_t>(i)].origin == CellOrigin::Measured) at = i;
        QVERIFY(at >= 0);
        click(at / 9, at % 9);
        QVERIFY(follow("run"));
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Bench);
        m_window->showWorkspace(MainWindow::Workspace::SkyGrid);
        QVERIFY(ready());
        QVERIFY2(!grid().model().next().empty(), qPrintable(page()));
        const auto trials = m_window->session().trials().size();
        QVERIFY(follow("Plan it"));
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Night);
        QCOMPARE(m_window->session().trials().size(), trials + 1);
        QVERIFY(m_window->session().trial().plan && m_window->session().trial().plan->filters.size() == 2);
    }

    void tablesAndPicturesGoOut() {
        for (const auto& [text, ending] :
             {std::pair{"Table (CSV) \u2026", "csv"}, {"Results (JSON) \u2026", "json"}, {"Picture (PNG) \u2026", "png"}, {"Drawing (SVG) \u2026", "svg"}}) {
            m_answers->save = at("out") + "." + ending;
            QAction* entry = nullptr; // the comparison's exports have the same texts
            for (QAction* a : menuEntry("Export the sky grid")->menu()->actions())
                if (a->text() == QString::fromUtf8(text) && a->isEnabled()) entry = a;
            QVERIFY2(entry, ending);
            entry->trigger();
            QVERIFY2(QFile::exists(m_answers->save), ending);
            QVERIFY(m_answers->suggested.startsWith("sky-grid-"));
        }
        QVERIFY(Json::parse(*readText((m_folder / "out.json")))["cells"].size() == 27);
        QVERIFY(readText(m_folder / "out.svg")->find("<svg") != std::string::npos);
        QVERIFY(!QImage(at("out.png")).isNull());
        menuEntry("Copy the sky grid, as a table")->trigger();
        const QString copied = QGuiApplication::clipboard()->text();
        QVERIFY2(copied.count('\n') == 4 && copied.contains("Twinline 7") && copied.contains("(measured)"), qPrintable(copied));
        // Over a frame of the trial nothing is written.
        m_answers->save = QString::fromStdString(m_window->session().trial().runs[0].stack);
        grid().askExport("csv");
        QVERIFY(!problem().isEmpty());
    }

    void anotherCampaignCanBeLaidIn() {
        QVERIFY(m_window->session().saveCampaignAs(at("other.caelumen")).ok());
        m_window->openCampaign(at("fresh.caelumen"));
        drop(at("trial/trial.json"));
        m_window->showWorkspace(MainWindow::Workspace::SkyGrid);
        QVERIFY(ready());
        const std::size_t runs = grid().model().grid()->input().runs.size();
        m_answers->save = at("other.caelumen");
        grid().askCampaign();
        QVERIFY(QTest::qWaitFor([&] { return grid().model().grid()->input().runs.size() == 2 * runs && !grid().model().busy(); }, 60'000));
        m_answers->save = at("gone.caelumen");
        grid().askCampaign();
        QVERIFY(problem().contains("gone.caelumen"));
        grid().model().forgetOthers();
        QVERIFY(ready());
        QCOMPARE(grid().model().grid()->input().runs.size(), runs);
    }

    void withoutATrialItSaysWhatToDo() {
        m_window->openCampaign(at("empty.caelumen"));
        QVERIFY(QTest::qWaitFor([this] { return !grid().model().busy() && !grid().model().grid(); }, 30'000));
        QVERIFY(grid().model().problem().contains("needs a measured trial"));
        grid().askExport("csv");
        QVERIFY(problem().contains("no grid yet"));
    }
};

CAELUMEN_WINDOW_TEST(SkyGridTest)
#include "sky_grid_test.moc"
