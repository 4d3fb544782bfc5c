#pragma once

#include "app/main_window.h"
#include "app/widgets/theme.h"
#include "support/answers.h"
#include "support/asked.h"
#include "support/scenes.h"
#include "support/window.h"

#include <QDir>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>

namespace caelumen {

/// The real window, with settings and caches of its own and somebody who answers its questions.
class WindowFixture {
protected:
    scenes::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
    Answers* m_answers = nullptr;

    QString at(const QString& name) const { return QString::fromStdString((m_folder.path() / name.toStdString()).string()); }
    Session& session() { return m_window->session(); }
    void drop(const QStringList& files) { dropOn(*m_window, files); }
    QString problem() const { return problemIn(*m_window); }

    void useOwnSettings() {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("CaelumenTest");
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, at("settings"));
        for (const auto place : {QStandardPaths::CacheLocation, QStandardPaths::AppDataLocation})
            QDir(QStandardPaths::writableLocation(place)).removeRecursively();
    }
    /// A small trial of three filters at hand: "trial/trial.json", frames A to C.
    static SimulatedTrial threeFilters(int width) { return scenes::smallTrial({"open", "duo7", "duo3"}, width); }

    static std::unique_ptr<MainWindow> anotherWindow(Answers*& answers) {
        auto own = std::make_unique<Answers>();
        answers = own.get();
        chooseTheme(*qApp, ThemeKind::Grey);
        auto window = std::make_unique<MainWindow>(std::move(own));
        window->show();
        return window;
    }
    void newWindow() {
        m_window = anotherWindow(m_answers);
        QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    }
    /// With an empty campaign that has the name of the test.
    void newCampaign() {
        newWindow();
        m_window->openCampaign(at(QString(QTest::currentTestFunction()) + ".caelumen"));
    }
};

} // namespace caelumen
