#include "app/kit/filter_table.h"
#include "app/night/night.h"
#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QTabWidget>
#include <QTableWidget>
#include <QTimer>

using namespace caelumen;

/// Which filters there are and what is known of them: by hand, from kits, from claims, side by side.
class KitFiltersTest : public QObject, protected KitFixture {
    Q_OBJECT

private slots:
    void initTestCase() { makeScene(); }
    void init() { openWindow(); }
    void cleanup() { m_window.reset(); }

    void claimsAloneAreModelledAndSaidToBe() {
        Trial changed = m_window->session().trial();
        changed.filters[1].curve.clear();
        m_window->session().edit("No curve", changed);
        clickFilter(1);
        QVERIFY2(said().contains("claims alone") && said().contains("Claimed at 656.3 nm, 7 nm wide, 90"), qPrintable(said()));
        QVERIFY(!said().contains("holds")); // nothing proves itself
        QCOMPARE(kit().facts().report.bands.size(), std::size_t{2});
        QVERIFY(std::abs(kit().facts().report.bands[1].normal.fwhm_nm - 7) < 0.1);
        m_window->showWorkspace(MainWindow::Workspace::Night);
        QVERIFY(std::any_of(m_window->night().model().filters().begin(), m_window->night().model().filters().end(),
                            [](const PlanFilter& f) { return f.id == "duo7" && f.claimed; }));
    }

    /// A filter is described once in a campaign: another trial takes it from there, and another campaign can copy it.
    void filtersBelongToTheCampaign() {
        Trial changed = m_window->session().trial();
        changed.filters[1].price = Price{321, 9, "EUR"};
        changed.filters[1].claimed_density = 4;
        changed.filters[1].clear_aperture_mm = 2;
        m_window->session().edit("Price", changed);
        clickFilter(1);
        QVERIFY2(said().contains("A density of 4 between the bands is claimed") && said().contains("Its clear 2.0 mm darken the corners"), qPrintable(said()));
        // A new trial knows the filter by its name alone.
        Trial other;
        other.title = "Another night";
        other.filters = {{"f", changed.filters[1].name, "other", "", std::nullopt, true}};
        QVERIFY(m_window->session().addTrial(other).ok());
        QCOMPARE(m_window->session().trial().filters.size(), std::size_t{1});
        QVERIFY(m_window->session().trial().filters[0].price->amount == 321 && m_window->session().trial().filters[0].kind == "dual-band");
        QVERIFY(kit().facts().source == CurveSource::Measured);
        // The others are offered.
        QMenu* owned = nullptr;
        for (QMenu* m : kit().findChildren<QMenu*>())
            if (m->title() == "Add from this campaign") owned = m;
        QVERIFY(owned);
        emit qobject_cast<QMenu*>(owned->parentWidget())->aboutToShow();
        QCOMPARE(owned->actions().size(), 2);
        owned->actions().last()->trigger();
        QCOMPARE(m_window->session().trial().filters.size(), std::size_t{2});
        // What is said otherwise here is told, and taken back by a click.
        Trial cheaper = m_window->session().trial();
        cheaper.filters[0].price->amount = 100;
        m_window->session().edit("Cheaper", cheaper);
        m_window->session().showTrial(m_window->session().trials().front().id);
        clickFilter(1);
        QVERIFY2(said().contains("says otherwise: price"), qPrintable(said()));
        emit kit().page().anchorClicked(QUrl("shelf"));
        QVERIFY(m_window->session().trial().filters[1].price->amount == 100 && !said().contains("says otherwise"));
        // Another campaign.
        const QString first = m_window->session().campaign()->path();
        m_window->openCampaign(at("copy.caelumen"));
        QVERIFY(m_window->session().addTrial(Trial{}).ok());
        m_answers->save = first;
        QVERIFY(chooseFromMenu(QString::fromUtf8("Copy from another campaign \u2026")));
        QCOMPARE(m_window->session().shelf().size(), std::size_t{3});
        QVERIFY(onShelf(m_window->session().shelf(), changed.filters[1].name)->price->amount == 100);
        m_answers->save = at("bad.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Copy from another campaign \u2026")));
        QVERIFY(!problem().isEmpty());
    }

    /// The headline names every line that a filter is sold for, also one that it stops.
    void aLineThatIsSoldButStoppedIsNamed() {
        Trial changed = m_window->session().trial();
        changed.filters[1].claims.push_back({671.6, 7, 0.9});
        m_window->session().edit("Sulphur too", changed);
        clickFilter(1);
        QVERIFY2(said().contains("S II") && said().contains("loses more than a tenth"), qPrintable(said().left(300)));
    }

    void filtersAreAddedByHand() {
        const auto before = m_window->session().trial().filters.size();
        whenAsked<QDialog>([](QDialog& dialog) {
            dialog.findChildren<QLineEdit*>().front()->setText("Heather 5 nm");
            for (QPlainTextEdit* e : dialog.findChildren<QPlainTextEdit*>())
                if (e->toPlainText().isEmpty()) {
                    e->setPlainText("656.3, 5, 88 %");
                    break;
                }
            dialog.accept();
        });
        QVERIFY(chooseFromMenu(QString::fromUtf8("New filter \u2026")));
        QCOMPARE(m_window->session().trial().filters.size(), before + 1);
        QCOMPARE(kit().currentFilter(), QString("heather-5-nm"));
        QVERIFY2(said().contains("claims alone"), qPrintable(said()));
        m_window->session().undoStack().undo();
        QCOMPARE(m_window->session().trial().filters.size(), before);
        Trial without = m_window->session().trial();
        for (Filter& f : without.filters)
            if (f.kind == "none") f.kind = "uv-ir-cut";
        m_window->session().edit("No open one", without);
        QVERIFY(chooseFromMenu("No filter"));
        QCOMPARE(kit().currentFilter(), QString("no-filter"));
        QVERIFY2(said().contains("No filter: what the camera's window"), qPrintable(said()));
        QVERIFY(chooseFromMenu("No filter")); // it is there already
        QCOMPARE(m_window->session().trial().filters.size(), before + 1);
    }

    void theCameraBelongsToTheRig() {
        QComboBox& cameras = kit().cameraBox();
        cameras.setFocus();
        cameras.setCurrentIndex(cameras.findData("mono-clear"));
        emit cameras.activated(cameras.currentIndex());
        QCOMPARE(m_window->session().trial().rig.camera, std::string("mono-clear"));
        QComboBox& gains = kit().gainBox();
        QVERIFY(gains.count() > 1);
        gains.setCurrentIndex(1);
        emit gains.activated(1);
        const GainStep& row = typicalCamera("mono-clear").gains[1];
        QCOMPARE(m_window->session().trial().rig.gain_setting.value_or(-1), row.setting);
        const auto back = trialFromJson(trialToJson(m_window->session().trial()), "trial");
        QVERIFY(back.ok() && back->rig == m_window->session().trial().rig);
        m_window->showWorkspace(MainWindow::Workspace::Night);
        QCOMPARE(m_window->night().model().camera().id, std::string("mono-clear"));
        QCOMPARE(m_window->night().model().filters().front().channels.size(), std::size_t{1});
        Rig bare; // what neither trial nor header says, the camera does, at that gain
        bare.gain_setting = row.setting;
        QCOMPARE(planRig(bare, typicalCamera("mono-clear")).e_per_adu, row.e_per_adu);
        m_window->session().undoStack().undo();
        m_window->session().undoStack().undo();
        QVERIFY(m_window->session().trial().rig.camera.empty());
        // Another trial's camera comes with it, whatever is in sight.
        Trial other = m_window->session().trial();
        other.title = "Other";
        other.rig.camera = "still";
        other.runs.clear();
        QVERIFY(m_window->session().addTrial(other).ok());
        QCOMPARE(m_window->night().model().camera().id, std::string("still"));
        QCOMPARE(m_window->night().model().frame(), QSize(6000, 4000)); // a field before any frame
    }

    void filtersStandSideBySide() {
        Trial changed = m_window->session().trial();
        changed.filters[1].price = Price{200, 20, "USD"};
        changed.filters[1].set_size = 2;
        changed.filters[1].thickness_mm = 2.0;
        changed.filters[2].price = Price{300, 0, "EUR"};
        changed.filters[2].thickness_mm = 3.0;
        m_window->session().edit("Prices", changed);
        kit().lower().setCurrentWidget(&kit().sideBySide());
        QTableWidget& table = kit().sideBySide().table();
        QCOMPARE(table.rowCount(), 3);
        const auto cell = [&](const QString& filter, int column) {
            for (int r = 0; r < table.rowCount(); ++r)
                if (table.item(r, 0)->text() == filter) return table.item(r, column)->text();
            return QString();
        };
        const QString seven = QString::fromStdString(changed.filters[1].name), three = QString::fromStdString(changed.filters[2].name);
        QVERIFY2(cell(seven, 1).contains("500.") && cell(seven, 1).contains("655."), qPrintable(cell(seven, 1)));
        QVERIFY(cell(seven, 2).toDouble() > 80);
        QCOMPARE(cell(seven, 8), QString::fromUtf8("\u2013")); // no rate yet
        QCOMPARE(cell(three, 8), QString("300 EUR"));
        auto* rates = byName<QLineEdit>(kit(), "Rates");
        rates->setFocus();
        rates->setText("USD 0.9");
        QTest::keyClick(rates, Qt::Key_Return);
        QCOMPARE(cell(seven, 8), QString("99 EUR")); // (200 + 20) / 2 x 0.9
        rates->setText("dollars are dear");
        QTest::keyClick(rates, Qt::Key_Return);
        QVERIFY(kit().sideBySide().findChild<QLabel*>("dim")->text().contains("is no rate"));
        rates->clear();
        QTest::keyClick(rates, Qt::Key_Return);
        QVERIFY2(kit().sideBySide().focusText().contains("0.34 mm") && kit().sideBySide().focusText().contains("refocus"),
                 qPrintable(kit().sideBySide().focusText()));
        table.setFocus();
        QTest::keyClick(&table, Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QGuiApplication::clipboard()->text().contains(seven) && QGuiApplication::clipboard()->text().count('\n') == 4);
        table.scrollToItem(table.item(2, 0));
        const QString wanted = table.item(2, 0)->data(Qt::UserRole).toString();
        const QPoint there = table.visualItemRect(table.item(2, 0)).center();
        QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, there);
        QTest::mouseDClick(table.viewport(), Qt::LeftButton, {}, there);
        QCOMPARE(kit().currentFilter(), wanted);
        kit().lower().setCurrentIndex(0);
    }

    void aKitGoesOutAndComesIn() {
        QVERIFY(chooseFromMenu("Ember 6"));
        m_answers->save = at("mine kit.json");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Export the kit \u2026")));
        m_answers->save = at("table.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Export the kit \u2026")));
        m_window->openCampaign(at("another.caelumen"));
        drop(at("trial/trial.json"));
        m_window->showWorkspace(MainWindow::Workspace::Kit);
        QVERIFY(!m_window->session().trial().filter("starter-ha6"));
        drop(at("mine kit.json"));
        QVERIFY2(m_window->session().trial().filter("starter-ha6"), qPrintable(problem()));
        kit().chooseFilter("starter-ha6");
        QVERIFY(std::abs(kit().facts().report.bands.at(0).normal.center_nm - 656.6) < 0.05);
        m_window->session().undoStack().undo();
        QVERIFY(!m_window->session().trial().filter("starter-ha6"));
        // A telescope that says something else keeps it, and says so; what it does not know comes from the kit.
        Trial other = m_window->session().trial();
        const double glass = other.rig.filter_thickness_mm.value_or(0);
        other.rig.filter_thickness_mm.reset();
        other.rig.focal_length_mm = 777;
        m_window->session().edit("another telescope", other);
        drop(at("mine kit.json"));
        QCOMPARE(m_window->session().trial().rig.focal_length_mm.value_or(0), 777.0);
        QCOMPARE(m_window->session().trial().rig.filter_thickness_mm.value_or(-1), glass);
        QVERIFY2(problem().contains("keeps its own") && problem().contains("777"), qPrintable(problem()));
        m_window->session().undoStack().undo();
        m_window->session().undoStack().undo();
        m_answers->save = at("table.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Import a kit or table \u2026")));
        QVERIFY(m_window->session().trial().filter("starter-ha6"));
        m_answers->save = at("bad.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Import a kit or table \u2026")));
        QVERIFY2(problem().contains("bad.csv"), qPrintable(problem()));
    }

    void aFilterWithoutCurveSaysWhatToDo() {
        Trial changed = m_window->session().trial();
        changed.filters[1].curve.clear();
        changed.filters[1].claims.clear();
        m_window->session().edit("No curve", changed);
        clickFilter(1);
        QVERIFY2(said().contains("Import a curve, or drop"), qPrintable(said()));
    }
};

CAELUMEN_WINDOW_TEST(KitFiltersTest)
#include "kit_filters_test.moc"
