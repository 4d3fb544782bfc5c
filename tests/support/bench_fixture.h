#pragma once

#include "app/bench/bench.h"
#include "app/main_window.h"
#include "app/widgets/theme.h"
#include "support/answers.h"
#include "support/scenes.h"
#include "support/window.h"

#include <QSettings>
#include <QStandardPaths>
#include <QTest>

namespace caelumen {

/// The Bench in the real window, with a small trial of three filters at hand ("trial/trial.json", frames A to C).
class BenchFixture {
protected:
    scenes::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
    Answers* m_answers = nullptr;

    QString at(const QString& name) const { return QString::fromStdString((m_folder.path() / name.toStdString()).string()); }
    Session& session() { return m_window->session(); }
    Bench& bench() { return m_window->bench(); }
    bool settled() {
        return QTest::qWaitFor([&] { return session().results() && session().resultsAreCurrent() && !session().jobs().busy(); }, 120'000);
    }
    void drop(const QStringList& files) { dropOn(*m_window, files); }
    QString problem() const { return problemIn(*m_window); }
    const Region* region(const std::string& id) {
        for (const Region& r : session().trial().regions)
            if (r.id == id) return &r;
        return nullptr;
    }
    QPoint viewOf(Point p) { return bench().view().transform().map(QPointF(p.x, p.y)).toPoint(); }

    void makeScene(int width) {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("CaelumenTest");
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, at("settings"));
        QVERIFY(writeTrial(scenes::smallTrial({"open", "duo7", "duo3"}, width), m_folder.path()).ok());
    }

    /// With an empty campaign that has the name of the test.
    void openWindow() {
        auto answers = std::make_unique<Answers>();
        m_answers = answers.get();
        chooseTheme(*qApp, ThemeKind::Grey);
        m_window = std::make_unique<MainWindow>(std::move(answers));
        m_window->show();
        QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
        m_window->openCampaign(at(QString(QTest::currentTestFunction()) + ".caelumen"));
        m_window->showWorkspace(MainWindow::Workspace::Bench);
    }
};

} // namespace caelumen
