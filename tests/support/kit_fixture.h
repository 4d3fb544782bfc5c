#pragma once

#include "app/kit/kit.h"
#include "core/base/file.h"
#include "support/window_fixture.h"

#include <QAction>
#include <QListWidget>
#include <QTextBrowser>

namespace caelumen {

/// The Kit, with a small trial in hand.
class KitFixture : protected WindowFixture {
protected:
    Kit& kit() { return m_window->kit(); }
    QString said() { return kit().page().toPlainText(); }
    using WindowFixture::drop;
    void drop(const QString& file) { WindowFixture::drop({file}); }
    /// Triggers an entry of one of the Kit's own menus by its text.
    bool chooseFromMenu(const QString& text) {
        for (QAction* a : kit().findChildren<QAction*>())
            if (a->text() == text && a->isEnabled()) return a->trigger(), true;
        return false;
    }
    void clickFilter(int row) {
        QListWidget& list = kit().filters();
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualItemRect(list.item(row)).center());
    }

    void makeScene() {
        useOwnSettings();
        SimulatedTrial s = threeFilters(640);
        s.trial.filters[1].claims = {{500.7, 7, 0.9}, {656.3, 7, 0.9}};
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        QVERIFY(writeFile(m_folder / "mine.csv", "wavelength;T\n640,0;0,0\n655,0;0,0\n655,1;80,0\n657,5;80,0\n657,6;0,0\n680,0;0,0\n").ok());
        // 656.3 nm at f/2.2 and index 1.8 comes from 656.3 / (1 - 1 / (16 x 2.2^2 x 1.8^2)) = 658.9 nm
        QVERIFY(writeFile(m_folder / "shifted.csv", "640,0\n656.8,0\n656.9,0.9\n660.9,0.9\n661,0\n680,0\n").ok());
        QVERIFY(writeFile(m_folder / "bad.csv", "nothing here\n").ok());
    }

    void openWindow() {
        newCampaign();
        drop(at("trial/trial.json"));
        m_window->showWorkspace(MainWindow::Workspace::Kit);
        QVERIFY(session().hasTrial());
    }
};

} // namespace caelumen
