#include "app/await.h"
#include "app/campaign_check_dialog.h"
#include "app/help/help_window.h"
#include "app/main_window.h"
#include "app/settings_file.h"

#include <QApplication>
#include <QClipboard>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

/// Help, and what is left when something went wrong: the manual, the event log, what was being done, settings as a file.
namespace caelumen {

void MainWindow::offerRecovery() {
    const auto left = RunningMark::takeLeft();
    if (left.empty()) return;
    const RunningMark::Left& last = left.front();
    const QString name = QFileInfo(last.campaign).completeBaseName();
    QString sentence = last.doing.isEmpty() ? tr("Last time the program ended without closing.")
                                            : tr("Last time the program ended without closing, in the middle of \u201C%1\u201D.").arg(last.doing);
    sentence += " " + tr("Every edit had been saved; stacks that were being made go on from where they were when they are started again.");
    const bool there = !last.campaign.isEmpty() && QFileInfo::exists(last.campaign),
               open = m_session.campaign() && m_session.campaign()->path() == last.campaign;
    if (there && !open && m_prompts->confirm(this, tr("%1\n\nOpen the campaign \u201C%2\u201D, which was open then?").arg(sentence, name), tr("Open it")))
        openCampaign(last.campaign, true);
    fail(tr("%1 Help > Event log tells what went before.").arg(sentence));
}

void MainWindow::offerMending(const QString& path) {
    const QFileInfo info(path);
    if (!info.isFile() || info.size() == 0) return;
    const CampaignCheck found = awaited([path] { return checkCampaignWhole(path); });
    if (!found.damage.isEmpty() && found.canBeMended() &&
        m_prompts->confirm(this, CampaignCheckDialog::summary(found) + "\n\n" + CampaignCheckDialog::whatMendingDoes(), tr("Open a mended copy")))
        mend(path);
}

void MainWindow::mend(const QString& path) {
    const auto mended = awaited([path] { return mendCampaign(path); });
    if (!mended) return fail(QString::fromStdString(mended.error().message));
    if (!mayLeave()) return;
    if (const Status again = m_session.openCampaign(*mended); !again) return fail(QString::fromStdString(again.error().message));
    m_problem->hide();
}

void MainWindow::checkThisCampaign() {
    if (!m_session.campaign()) return;
    const QString path = m_session.campaign()->path();
    m_demoJobs.run("check", tr("Checking the campaign"), [this, path](const Job&) -> JobService::Finish {
        return [this, path, found = checkCampaignWhole(path)] {
            auto* dialog = new CampaignCheckDialog(path, found, this);
            connect(dialog, &CampaignCheckDialog::mendingWanted, this, [this, path] { mend(path); });
            dialog->show();
        };
    });
}

void MainWindow::showManual() {
    if (!m_manual) m_manual = new HelpWindow(this);
    static const QStringList pages{"kit", "night", "subs", "bench", "sky-grid", "palette", "verdict", "log"};
    m_manual->showPage(pages.value(static_cast<int>(workspace())));
    m_manual->show();
    m_manual->raise();
    m_manual->activateWindow();
}

void MainWindow::showEventLog() {
    auto* dialog = new QDialog(this);
    dialog->setObjectName("eventLog");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Event log"));
    auto* text = new QPlainTextEdit(eventLogText());
    text->setReadOnly(true);
    text->setLineWrapMode(QPlainTextEdit::NoWrap);
    text->setAccessibleName(tr("Event log"));
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* copy = buttons->addButton(tr("Copy all of it"), QDialogButtonBox::ActionRole);
    connect(copy, &QPushButton::clicked, text, [text] { QGuiApplication::clipboard()->setText(text->toPlainText()); });
    connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::close);
    auto* layout = new QVBoxLayout(dialog);
    layout->addWidget(text);
    layout->addWidget(buttons);
    dialog->resize(860, 480);
    dialog->show();
    text->moveCursor(QTextCursor::End);
}

void MainWindow::exportSettingsFile() {
    QString path = m_prompts->saveFile(this, tr("Export the settings"), "caelumen-settings.ini", tr("Settings (*.ini)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".ini";
    keepLayouts();
    if (const Status may = m_session.mayWrite(path); !may) return fail(QString::fromStdString(may.error().message));
    if (const Status done = exportSettings(path); !done) return fail(QString::fromStdString(done.error().message));
}

void MainWindow::importSettingsFile() {
    const QString path = m_prompts->openFile(this, tr("Import settings"), tr("Settings (*.ini);;All files (*)"));
    if (path.isEmpty()) return;
    if (const Status done = importSettings(path); !done) return fail(QString::fromStdString(done.error().message));
    restoreLayouts();
    fillRecent();
}

} // namespace caelumen
