#include "app/bench/bench.h"
#include "app/bench/welcome.h"
#include "app/grid/sky_grid.h"
#include "app/kit/kit.h"
#include "app/log/log_room.h"
#include "app/main_window.h"
#include "app/night/night.h"
#include "app/palette/palette.h"
#include "app/subs/subs.h"
#include "app/verdict/verdict_room.h"

#include <QFileInfo>
#include <QMenu>
#include <QSettings>

/// What the window remembers from one start to the next.
namespace caelumen {
namespace {

constexpr int kMostRecent = 8;

/// In settings, in the order of the workspaces.
QStringList workspaceNames() {
    return {"kit", "night", "subs", "bench", "sky-grid", "palette", "verdict", "log"};
}

} // namespace

void MainWindow::remember(const QString& path) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(path);
    recent.prepend(path);
    settings.setValue("recent", recent.mid(0, kMostRecent));
    fillRecent();
}

void MainWindow::fillRecent() {
    m_recent->clear();
    const QString open = m_session.campaign() ? m_session.campaign()->path() : QString();
    QStringList others;
    for (const QString& path : QSettings().value("recent").toStringList()) {
        if (!QFileInfo::exists(path)) continue;
        m_recent->addAction(path, this, [this, path] { askCampaign(path); });
        if (path != open) others << path;
    }
    m_recent->setEnabled(!m_recent->isEmpty());
    m_bench->welcome().setRecent(others);
}

void MainWindow::restoreLayouts() {
    QSettings settings;
    restoreGeometry(settings.value("window").toByteArray());
    m_bench->restoreLayout(settings.value("bench").toByteArray());
    m_kit->restoreLayout(settings.value("kit").toByteArray());
    m_night->restoreLayout(settings.value("night").toByteArray());
    m_subs->restoreLayout(settings.value("subs").toByteArray());
    m_skyGrid->restoreLayout(settings.value("sky-grid").toByteArray());
    m_palette->restoreLayout(settings.value("palette").toByteArray());
    m_verdict->restoreLayout(settings.value("verdict").toByteArray());
    m_log->restoreLayout(settings.value("log").toByteArray());
    setTheme(themeFromName(settings.value("theme", "grey").toString()));
}

void MainWindow::showLastWorkspace() {
    const auto known = workspaceNames().indexOf(QSettings().value("workspace").toString());
    showWorkspace(known < 0 ? Workspace::Bench : static_cast<Workspace>(known));
}

void MainWindow::keepLayouts() {
    QSettings settings;
    settings.setValue("window", saveGeometry());
    settings.setValue("bench", m_bench->saveLayout());
    settings.setValue("kit", m_kit->saveLayout());
    settings.setValue("night", m_night->saveLayout());
    settings.setValue("subs", m_subs->saveLayout());
    settings.setValue("sky-grid", m_skyGrid->saveLayout());
    settings.setValue("palette", m_palette->saveLayout());
    settings.setValue("verdict", m_verdict->saveLayout());
    settings.setValue("log", m_log->saveLayout());
    settings.setValue("workspace", workspaceNames()[static_cast<int>(workspace())]);
}

} // namespace caelumen
