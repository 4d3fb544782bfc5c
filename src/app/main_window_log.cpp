#include "app/bench/bench.h"
#include "app/log/log_room.h"
#include "app/log/merge_page.h"
#include "app/main_window.h"
#include "app/widgets/status_line.h"

/// From the log to the Bench.
namespace caelumen {

void MainWindow::followLog() {
    connect(m_log, &LogRoom::problem, this, &MainWindow::fail);
    connect(m_log, &LogRoom::told, this, [this](const QString& sentence) { m_status->say(sentence); });
    followJobs(m_log->model().jobs());
    followJobs(m_log->merge().jobs());
    connect(m_log, &LogRoom::benchWanted, this, [this](const QString& campaign, qint64 trial, const QString& run) {
        if (!m_session.campaign() || m_session.campaign()->path() != campaign) openCampaign(campaign, true);
        if (!m_session.campaign() || m_session.campaign()->path() != campaign) return; // it said why
        m_session.showTrial(trial);
        showWorkspace(Workspace::Bench);
        m_bench->flipTo(run);
    });
    connect(m_log, &LogRoom::framesWanted, this, [this](const QStringList& files) {
        m_session.takeFrames(files, false);
        showWorkspace(Workspace::Bench);
    });
    connect(m_log, &LogRoom::trialWanted, this, [this](const Trial& trial) {
        if (const Status added = m_session.addTrial(trial); !added) return fail(QString::fromStdString(added.error().message));
        showWorkspace(Workspace::Bench);
    });
}

} // namespace caelumen
