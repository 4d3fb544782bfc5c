#include "app/kit/kit.h"
#include "app/night/calendar_view.h"
#include "app/night/night.h"
#include "app/night/night_chart.h"
#include "app/widgets/place_zone.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/model/plan_json.h"
#include "support/watched_app.h"
#include "support/window_fixture.h"

#include <QDateEdit>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QTabWidget>
#include <QTextBrowser>
#include <QTimer>
#include <QToolButton>

using namespace caelumen;

/// The Night in the real window: laying and dragging blocks, choosing targets and nights, writing the plan.
class NightTest : public QObject, WindowFixture {
    Q_OBJECT

    Night& night() { return m_window->night(); }
    const Plan& plan() { return night().model().plan(); }
    const Trial& trial() { return m_window->session().trial(); }
    QString said() { return night().page().toPlainText(); }
    template<class Box>
    Box* box(const QString& name) {
        for (Box* b : night().findChildren<Box*>())
            if (b->accessibleName() == name) return b;
        return nullptr;
    }
    void clickButton(const QString& text) {
        for (QPushButton* b : night().findChildren<QPushButton*>())
            if (b->text() == text) QTest::mouseClick(b, Qt::LeftButton);
    }
    bool chooseFromMenu(const QString& text) {
        for (QAction* a : night().findChildren<QAction*>())
            if (a->text() == text && a->isEnabled()) return a->trigger(), true;
        return false;
    }
    void drag(int block, double pixels) {
        NightChart& chart = night().chart();
        const QPoint from = chart.blockRect(block).center().toPoint(), to = from + QPoint(static_cast<int>(pixels), 0);
        QTest::mousePress(&chart, Qt::LeftButton, {}, from);
        for (const QPoint& p : {(from + to) / 2, to}) {
            QMouseEvent move(QEvent::MouseMove, p, chart.mapToGlobal(p), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(&chart, &move);
        }
        QTest::mouseRelease(&chart, Qt::LeftButton, {}, to);
    }

private slots:
    void initTestCase() {
        useOwnSettings();
        QVERIFY(writeTrial(threeFilters(640), m_folder.path()).ok());
    }

    void init() {
        newCampaign();
        dropOn(*m_window, {at("trial/trial.json")});
        QTest::keyClick(m_window.get(), Qt::Key_2, Qt::AltModifier);
        QVERIFY(night().isVisible() && night().model().ready());
    }
    void cleanup() { m_window.reset(); }

    void aPlanIsProposedAndNothingIsSavedYet() {
        QCOMPARE(plan().filters, (std::vector<std::string>{"open", "duo7", "duo3"}));
        QCOMPARE(plan().blocks.size(), std::size_t{6});
        QVERIFY(!trial().plan);
        QVERIFY2(said().contains("What this night can prove") && said().contains("How the filters share it"), qPrintable(said()));
        QVERIFY2(said().contains("Twinline 7"), qPrintable(said()));
        QTest::mouseClick(&night().chart(), Qt::LeftButton, {}, night().chart().blockRect(1).center().toPoint()); // choosing is no edit
        QVERIFY(!trial().plan);
    }

    void blocksAreDraggedJudgedAndUndone() {
        const double before = plan().blocks[1].start_s;
        drag(1, 12);
        QVERIFY(trial().plan);
        QVERIFY2(plan().blocks[1].start_s > before + 300, qPrintable(QString::number(plan().blocks[1].start_s - before)));
        QVERIFY(!night().model().blockTroubles().empty());
        QVERIFY2(said().contains("runs into") || said().contains("no time to swap"), qPrintable(said()));
        m_window->session().undoStack().undo();
        QCOMPARE(plan().blocks[1].start_s, before);
        QTest::mouseClick(&night().chart(), Qt::LeftButton, {}, night().chart().blockRect(1).center().toPoint());
        QTest::keyClick(&night().chart(), Qt::Key_Right, Qt::ShiftModifier);
        QCOMPARE(plan().blocks[1].start_s, before + 60);
    }

    void aBlockThatPassesAnotherStaysInHand() {
        const std::string filter = plan().blocks[0].filter, next = plan().blocks[1].filter;
        NightChart& chart = night().chart();
        drag(0, chart.blockRect(2).left() - chart.blockRect(0).left() - 4);
        QCOMPARE(plan().blocks[1].filter, filter);
        QCOMPARE(plan().blocks[0].filter, next);
        const double at = plan().blocks[1].start_s;
        QTest::keyClick(&chart, Qt::Key_Left, Qt::ShiftModifier);
        QCOMPARE(plan().blocks[1].start_s, at - 60);
        QCOMPARE(plan().blocks[1].filter, filter);
    }

    void figuresFollowTheControls() {
        box<QSpinBox>("Subs in a block")->setValue(6);
        QCOMPARE(trial().plan->blocks[0].subs, 6);
        box<QDoubleSpinBox>("Exposure")->setValue(60);
        QCOMPARE(trial().plan->blocks[0].exposure_s, 60.0);
        clickButton("Fill night");
        QVERIFY(trial().plan->subs > 20);
        box<QSpinBox>("Subs in a block")->setValue(trial().plan->subs + 1);
        QVERIFY2(said().contains("blocks fit"), qPrintable(said()));
        box<QComboBox>("Order")->setCurrentIndex(1);
        QCOMPARE(trial().plan->rounds, 3);
        box<QDoubleSpinBox>("Lowest altitude")->setValue(80);
        QVERIFY2(said().contains("does not rise above 80"), qPrintable(said()));
    }

    void suggestionsFollowTheTickedFilters() {
        QTRY_VERIFY_WITH_TIMEOUT(!night().model().suggestions().empty(), 20'000);
        const auto scores = [&] {
            std::vector<std::pair<std::string, double>> out;
            for (const Suggestion& g : night().model().suggestions()) out.emplace_back(g.target->id, g.score);
            return out;
        };
        const auto before = scores();
        for (int i = 1; i < 3; ++i) night().filterList().item(i)->setCheckState(Qt::Unchecked); // the open filter alone passes sulphur and starlight too
        QTRY_VERIFY_WITH_TIMEOUT(!scores().empty() && scores() != before, 20'000);
    }

    void filtersAreTickedAndOrdered() {
        QListWidget& list = night().filterList();
        list.item(2)->setCheckState(Qt::Unchecked);
        QCOMPARE(trial().plan->filters, (std::vector<std::string>{"open", "duo7"}));
        QCOMPARE(trial().plan->blocks.size(), std::size_t{4});
        QCOMPARE(list.item(2)->checkState(), Qt::Unchecked);
    }

    void aTargetIsSearchedByKeyboard() {
        QTest::keyClicks(&night().search(), "carina");
        QCOMPARE(night().targetList().count(), 1);
        QTest::keyClick(&night().search(), Qt::Key_Return);
        QCOMPARE(trial().target.name, std::string("NGC 3372"));
        QVERIFY(std::abs(*trial().target.dec_deg + 59.87) < 0.1);
        QVERIFY(said().contains("NGC 3372"));
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(trial().target.name != "NGC 3372");
        night().search().setText("no such thing");
        QCOMPARE(night().targetList().count(), 1);
        QVERIFY(night().targetList().item(0)->text().contains("Import targets"));
    }

    void whatNeverRisesIsASentence() {
        night().search().setText("ngc188"); // beside the northern pole
        QTest::keyClick(&night().search(), Qt::Key_Return);
        QCOMPARE(trial().target.name, std::string("NGC 188"));
        QVERIFY(plan().blocks.empty());
        clickButton("Lay anew");
        QVERIFY2(said().contains("does not rise"), qPrintable(said()));
    }

    void suggestionsComeWithReasons() {
        QTRY_VERIFY_WITH_TIMEOUT(!night().model().suggestions().empty(), 20'000);
        QCOMPARE(night().targetList().count(), static_cast<int>(night().model().suggestions().size()));
        QVERIFY(night().targetList().item(0)->toolTip().contains("For it:"));
        QListWidget& list = night().targetList();
        const QString wanted = list.item(1)->data(Qt::UserRole).toString();
        list.scrollToItem(list.item(1));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualItemRect(list.item(1)).center());
        QCOMPARE(QString::fromStdString(trial().target.name), wanted);
    }

    void ownTargetsAreTaken() {
        QVERIFY(writeFile(m_folder / "targets.csv", "name,ra,dec,size,hydrogen,oxygen\nGarden cloud,17 00 00,-45 00,30,3,2\n").ok());
        m_answers->save = at("targets.csv");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Import targets \u2026")));
        night().search().setText("garden");
        QTest::keyClick(&night().search(), Qt::Key_Return);
        QCOMPARE(trial().target.name, std::string("Garden cloud"));
        QCOMPARE(*trial().target.ra_deg, 255.0);
        QVERIFY(writeFile(m_folder / "bad.csv", "x,999,0\n").ok());
        night().takeTargets(at("bad.csv"));
        QVERIFY2(problemIn(*m_window).contains("no target in line 1"), qPrintable(problemIn(*m_window)));
    }

    void nightsAreChosen() {
        const std::string before = plan().date;
        for (QToolButton* b : night().findChildren<QToolButton*>())
            if (b->toolTip() == "The next night") QTest::mouseClick(b, Qt::LeftButton);
        QCOMPARE(trial().plan->date, dateAfter(before, 1));
        night().tabs().setCurrentIndex(1);
        QTRY_VERIFY_WITH_TIMEOUT(night().month().nights().size() >= 28, 60'000);
        QTest::mouseClick(&night().month(), Qt::LeftButton, {}, night().month().placeOf(19).center().toPoint());
        QVERIFY2(trial().plan->date.ends_with("-20"), trial().plan->date.c_str());
        night().tabs().setCurrentIndex(2);
        QTRY_VERIFY_WITH_TIMEOUT(night().year().nights().size() == 36, 60'000);
    }

    void lengthsMayDiffer() {
        auto* lengths = box<QComboBox>("Lengths");
        lengths->setFocus();
        QTest::keyClick(lengths, Qt::Key_Down);
        QVERIFY(trial().plan->exposures.size() == 3);
        QVERIFY(trial().plan->exposures.at("duo3") > trial().plan->exposures.at("open"));
        QVERIFY2(said().contains("Lengths differ"), qPrintable(said()));
        QTest::keyClick(lengths, Qt::Key_Up);
        QVERIFY(trial().plan->exposures.empty());
        auto* star = box<QComboBox>("Bright star");
        QVERIFY(star->count() > 50);
        star->setFocus();
        QTest::keyClick(star, Qt::Key_Down);
        QVERIFY(!trial().plan->brightStar.empty());
        QVERIFY(said().contains("dark "));
    }

    void theChecklistIsTickedByKey() {
        QListWidget& list = night().checks();
        list.setFocus();
        list.setCurrentRow(1);
        QTest::keyClick(&list, Qt::Key_Space);
        QCOMPARE(trial().plan->done, (std::vector<std::string>{"mask"}));
        QCOMPARE(list.item(1)->checkState(), Qt::Checked);
        QTest::keyClick(&list, Qt::Key_Space);
        QVERIFY(trial().plan->done.empty());
    }

    void thePlanGoesOut() {
        const auto write = [&](const char* entry, const char* file) {
            m_answers->save = at(file);
            if (!chooseFromMenu(QString::fromUtf8(entry))) return std::string();
            const auto text = readText(m_folder / file);
            return text.ok() ? *text : std::string();
        };
        const std::string pdf = write("Print to a page (PDF) \u2026", "plan.pdf");
        QVERIFY(pdf.starts_with("%PDF") && pdf.size() > 5000);
        QVERIFY(pdf.find("/Count 2") != std::string::npos || pdf.find("/Count 3") != std::string::npos); // as many pages as 9.5 points need
        QVERIFY(m_answers->suggested.startsWith("plan-20") && m_answers->suggested.endsWith(".pdf"));
        QVERIFY(write("Calendar file (iCalendar) \u2026", "plan.ics").starts_with("BEGIN:VCALENDAR"));
        const std::string csv = write("Blocks as a table (CSV) \u2026", "plan.csv");
        QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), 7);
        const Json json = Json::parse(write("Plan (JSON) \u2026", "plan.json"));
        QVERIFY(json["caelumen_plan"] == 1);
        const auto back = planFromJson(json["plan"], "plan");
        QVERIFY(back.ok() && *back == plan());
    }

    void settingsChangePausesPowerAndClock() {
        whenAsked<QDialog>([](QDialog& dialog) {
            const auto fields = dialog.findChildren<QLineEdit*>();
            fields[0]->setText("300");
            for (QLineEdit* f : fields) {
                if (f->placeholderText().contains("lengths")) f->setText("180, 10");
                if (f->placeholderText() == "mains") f->setText("100");
            }
            auto* zone = dialog.findChild<QComboBox*>();
            zone->setCurrentIndex(zone->findData("Asia/Kathmandu"));
            dialog.accept();
        });
        QVERIFY(chooseFromMenu(QString::fromUtf8("Pauses, power and clock \u2026")));
        QCOMPARE(trial().plan->swap_s, 300.0);
        QCOMPARE(trial().site.zone, std::string("Asia/Kathmandu"));
        QCOMPARE(night().model().timeAt(0).offsetFromUtc(), 5 * 3600 + 45 * 60);
        QVERIFY2(said().contains("of the battery"), qPrintable(said()));
        QVERIFY2(said().contains("off the sun of this place"), qPrintable(said()));                                      // Nepal's clock in the south of Africa
        for (int i = 0; i < night().checks().count(); ++i) QVERIFY(!night().checks().item(i)->text().contains("Darks")); // they are at hand
        QVERIFY(!NightModel::setDarks("10 long"));
        QVERIFY(NightModel::setDarks({}));
    }

    void theVirtualMeterIsTurnedOn() {
        const QImage before = night().chart().grab().toImage();
        QVERIFY(chooseFromMenu("Virtual sky meter and clouds"));
        QVERIFY(night().model().virtualSky());
        QVERIFY2(said().contains("virtual sensor"), qPrintable(said()));
        QVERIFY(night().chart().grab().toImage() != before);
        QVERIFY(chooseFromMenu("Virtual sky meter and clouds"));
        QVERIFY(!said().contains("virtual sensor"));
    }

    void theMonthTellsWhichSkiesAreMissing() {
        night().tabs().setCurrentIndex(1);
        QTRY_VERIFY_WITH_TIMEOUT(night().month().nights().size() >= 28, 60'000);
        QVERIFY2(night().month().grid().contains("Missing for class"), qPrintable(night().month().grid()));
        QVERIFY2(night().month().grid().contains("full moon (3)"), qPrintable(night().month().grid())); // the fixture's three runs
    }

    void aNewNightIsATrialWithoutRuns() {
        box<QSpinBox>("Subs in a block")->setValue(7);
        QTest::keyClick(m_window.get(), Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(trial().runs.empty());
        QCOMPARE(trial().plan->subs, 7);
        QVERIFY(night().isVisible() && !plan().blocks.empty());
        QVERIFY(!said().contains("Plan against"));
    }

    void planAgainstWhatHappenedIsShown() {
        box<QSpinBox>("Subs in a block")->setValue(7);
        QVERIFY2(said().contains("Plan against what happened"), qPrintable(said()));
    }

    void theClockFollowsThePlace() {
        QCOMPARE(zoneNear(-33.9, 18.4), QString("Africa/Johannesburg"));
        QCOMPARE(zoneNear(40.7, -74.1), QString("America/New_York"));
        QCOMPARE(zoneNear(-36.9, 174.8), QString("Pacific/Auckland"));
        Trial moved = trial();
        moved.site.zone.clear();
        moved.site.latitude_deg = 27.7, moved.site.longitude_deg = 85.3;
        m_window->session().edit("moved", moved);
        QCOMPARE(night().model().zone().id(), QByteArray("Asia/Kathmandu"));
        QVERIFY(!said().contains("off the sun"));
    }

    void whatCouldNotBeLaidStaysTold() {
        Trial full = trial();
        full.plan = plan();
        full.plan->subs = 60;
        full.plan->rounds = 8;
        full.plan->blocks.resize(1);
        m_window->session().edit("too much", full);
        QVERIFY2(said().contains("blocks fit"), qPrintable(said()));
    }

    void targetsAreSuggestedBeforeOneIsChosen() {
        Trial bare = trial();
        bare.target = {};
        bare.plan.emplace().date = "2026-06-15"; // without filters yet
        m_window->session().edit("bare", bare);
        QVERIFY(!night().model().ready());
        QTRY_VERIFY_WITH_TIMEOUT(night().model().suggestions().size() > 5, 10'000);
        QVERIFY(byName<QListWidget>(night(), "Targets")->count() > 5);
    }

    void noLengthIsRightBeneathTheMidnightSun() {
        QVERIFY(said().contains("How long a sub should be"));
        Trial north = trial();
        north.site.latitude_deg = 71, north.site.longitude_deg = 25;
        north.plan = plan();
        north.plan->date = "2026-06-21";
        m_window->session().edit("north", north);
        QVERIFY2(!said().contains("How long a sub should be"), qPrintable(said()));
    }

    void withoutAPlaceItSaysWhatIsMissing() {
        Trial bare = trial();
        bare.site = {};
        m_window->session().edit("bare", bare);
        QVERIFY(!night().model().ready());
        QVERIFY2(said().contains("latitude"), qPrintable(said()));
        night().askExport("pdf");
        QVERIFY(problemIn(*m_window).contains("latitude"));
    }
};

CAELUMEN_WINDOW_TEST(NightTest)
#include "night_test.moc"
