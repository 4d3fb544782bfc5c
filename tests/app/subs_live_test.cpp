#include "app/subs/live_panel.h"
#include "support/subs_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QDir>
#include <QTabBar>
#include <QTabWidget>
#include <QTableWidget>

using namespace caelumen;

/// A night that goes on: a watched folder, evidence that grows, the camera that is made up.
class SubsLiveTest : public QObject, SubsFixture {
    Q_OBJECT

private slots:
    void initTestCase() { makeScene(); }
    void init() { openWindow(); }
    void cleanup() { m_window.reset(); }

    void aWatchedFolderIsJudgedAsSubsLand() {
        const QString folder = at("landing");
        QDir().mkpath(folder);
        m_answers->place = folder;
        QAction* watch = action("Watch a folder");
        watch->trigger();
        QCOMPARE(model().watched(), folder);
        const QDir from(at("capture/open"));
        for (const QString& name : from.entryList({"dark*", "flat*", "bias*", "light-001*", "light-002*", "light-003*", "light-004*"}))
            QFile::copy(from.filePath(name), folder + "/" + name);
        QTRY_VERIFY_WITH_TIMEOUT(model().judged() && model().run().subs.size() == 4, 20'000);
        QVERIFY(!keeps(2));
        QTRY_VERIFY2_WITH_TIMEOUT(problemIn(*m_window).contains("Left out as it landed: light-003"), qPrintable(problemIn(*m_window)), 5000);
        // Half of a sub: waited for.
        QFile whole(from.filePath("light-005.fits"));
        QVERIFY(whole.open(QIODevice::ReadOnly));
        const QByteArray bytes = whole.readAll();
        QFile part(folder + "/light-005.fits");
        QVERIFY(part.open(QIODevice::WriteOnly));
        part.write(bytes.left(bytes.size() / 2));
        part.flush();
        QTest::qWait(1700);
        QCOMPARE(model().run().subs.size(), std::size_t{4});
        part.write(bytes.mid(bytes.size() / 2));
        part.close();
        QTRY_VERIFY_WITH_TIMEOUT(model().judged() && model().run().subs.size() == 5, 20'000);
        QTRY_COMPARE_WITH_TIMEOUT(subs().current(), 4, 5000); // the newest is shown
        // Looking elsewhere is left in peace once following is off; another run's subs are judged all the same.
        QTest::keyClick(m_window.get(), Qt::Key_L);
        subs().showSub(0);
        QFile::copy(at("capture/duo7/light-001.fits"), folder + "/duo-1.fits");
        QTRY_VERIFY_WITH_TIMEOUT(model().groups().size() >= 2 && subs().runs().count() == 2 && model().runOf(1) && model().runOf(1)->judged, 20'000);
        QCOMPARE(model().current(), 0);
        QCOMPARE(subs().current(), 0);
        watch->trigger();
        QVERIFY(model().watched().isEmpty());
    }

    void evidenceGrowsWhileSubsLand() {
        const QString folder = at("evidence");
        QDir().mkpath(folder);
        for (int i = 0; i < subs().tabs().count(); ++i)
            if (subs().tabs().tabText(i) == "Evidence")
                QTest::mouseClick(subs().tabs().tabBar(), Qt::LeftButton, {}, subs().tabs().tabBar()->tabRect(i).center());
        QVERIFY(subs().live().isVisible());
        QVERIFY(subs().live().table().isHidden());
        subs().camera().start(folder, {"open", "duo7"}, 16, 0.02, 3, 480, 2);
        model().watch(folder);
        QTRY_VERIFY_WITH_TIMEOUT(!subs().camera().running() && subs().camera().taken() == 32, 40'000);
        const auto sky = [&]() -> const LivePair* {
            for (const LivePair& p : subs().live().watch().stop().pairs)
                if (p.quantity == LiveQuantity::Background && p.channel == "G") return &p;
            return nullptr;
        };
        QTRY_VERIFY2_WITH_TIMEOUT(sky() && sky()->word == LiveWord::ToldApart, qPrintable(subs().live().text()), 60'000);
        // A B B A: blocks of two, so that the night has several swaps.
        QVERIFY(subs().live().watch().night().perBlock < 4.5);
        QVERIFY(subs().live().watch().left()); // place and target stand in the headers
        QVERIFY(subs().live().text().contains("told apart: stop"));
        QTableWidget& table = subs().live().table();
        QVERIFY(table.rowCount() >= 7 && table.item(0, 0)->text().contains("against"));
        QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, table.visualItemRect(table.item(2, 0)).center());
        QVERIFY(subs().live().words().text().contains("sky background in G"));
        QTest::keyClick(&table, Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QGuiApplication::clipboard()->text().startsWith("quantity\tratio"));
    }

    void theVirtualCameraTakesSubs() {
        const QString folder = at("virtual");
        QDir().mkpath(folder);
        subs().camera().start(folder, {"duo7"}, 4, 0.05, 2, 480);
        model().watch(folder);
        QTRY_VERIFY_WITH_TIMEOUT(!subs().camera().running() && subs().camera().taken() == 4, 20'000);
        QTRY_VERIFY_WITH_TIMEOUT(model().judged() && model().run().subs.size() == 4, 20'000);
        QVERIFY(QDir(folder + "/calibration/duo7").entryList({"flat-*"}).size() == 6);
        QVERIFY(model().measurer()->calibration().zeroKnown);
        // It can be stopped.
        subs().camera().start(at("virtual2"), {"open"}, 50, 0.05, 2, 480);
        QTRY_VERIFY_WITH_TIMEOUT(subs().camera().taken() >= 1, 20'000);
        subs().camera().stop();
        const int taken = subs().camera().taken();
        QTest::qWait(300);
        QVERIFY(!subs().camera().running() && subs().camera().taken() <= taken + 1);
    }
};

CAELUMEN_WINDOW_TEST(SubsLiveTest)
#include "subs_live_test.moc"
