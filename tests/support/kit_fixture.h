#pragma once

#include "app/kit/kit.h"
#include "app/main_window.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "support/answers.h"
#include "support/scenes.h"
#include "support/window.h"

#include <QAction>
#include <QListWidget>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>
#include <QTextBrowser>

namespace caelumen {

/// The Kit in the real window, with a small trial of three filters.
class KitFixture {
protected:
    scenes::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
    Answers* m_answers = nullptr;

    QString at(const char* name) const { return QString::fromStdString((m_folder / name).string()); }
    Kit& kit() { return m_window->kit(); }
    QString said() { return kit().page().toPlainText(); }
    void drop(const QString& file) { dropOn(*m_window, {file}); }
    QString problem() const { return problemIn(*m_window); }
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

    void openWindow() {
        auto answers = std::make_unique<Answers>();
        m_answers = answers.get();
        chooseTheme(*qApp, ThemeKind::Grey);
        m_window = std::make_unique<MainWindow>(std::move(answers));
        m_window->show();
        QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
        m_window->openCampaign(at(QTest::currentTestFunction()) + ".caelumen");
        drop(at("trial/trial.json"));
        m_window->showWorkspace(MainWindow::Workspace::Kit);
        QVERIFY(m_window->session().hasTrial());
    }
};

} // namespace caelumen
