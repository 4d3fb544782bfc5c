#include "app/main_window.h"

#include "app/application.h"
#include "app/bench/bench.h"
#include "app/bench/welcome.h"
#include "app/demo_campaign.h"
#include "app/facts_dialog.h"
#include "app/grid/sky_grid.h"
#include "app/kit/kit.h"
#include "app/log/log_room.h"
#include "app/log/merge_page.h"
#include "app/night/night.h"
#include "app/palette/palette.h"
#include "app/subs/subs.h"
#include "app/verdict/report_panel.h"
#include "app/verdict/verdict_room.h"
#include "app/widgets/campaign_bar.h"
#include "app/widgets/elided_label.h"
#include "app/widgets/status_line.h"
#include "core/compare/sentences.h"

#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QScreen>
#include <QSettings>
#include <QStackedWidget>
#include <QStandardPaths>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
MainWindow::MainWindow(std::unique_ptr<Prompts> prompts, QWidget* parent)
    : QMainWindow(parent)
    , m_prompts(std::move(prompts))
    , m_bench(new Bench(m_session, *m_prompts))
    , m_kit(new Kit(m_session, *m_prompts))
    , m_night(new Night(m_session, *m_prompts))
    , m_subs(new Subs(m_session, *m_prompts))
    , m_skyGrid(new SkyGrid(m_session, *m_prompts))
    , m_palette(new PaletteRoom(m_session, *m_prompts))
    , m_verdict(new VerdictRoom(m_session, *m_prompts, m_skyGrid->model()))
    , m_log(new LogRoom(m_session, *m_prompts))
    , m_workspaces(new QStackedWidget)
    , m_trials(new QComboBox)
    , m_conditions(new ElidedLabel("  \u00B7  "))
    , m_status(new StatusLine)
    , m_problem(new QLabel)
    , m_campaignBar(new CampaignBar(m_session)) {
    setWindowTitle(tr("Caelumen"));
    setWindowIcon(QIcon(":/icons/caelumen.svg"));
    setAcceptDrops(true);
    // With its title bar it fits the screens that are common.
    const QRect room = screen() ? screen()->availableGeometry() : QRect(0, 0, 1280, 800);
    constexpr int kTitleBar = 40;
    resize(std::min(1280, room.width()), std::min(800, room.height() - kTitleBar));
    setMinimumSize(1000, 640);

    layOut();
    buildMenus();
    connectWorkspaces();
    connectSession();
    followAllJobs();
    restoreLayouts();
    fillTrials();
    fillConditions();
    showLastWorkspace();
}

void MainWindow::layOut() {
    auto* central = new QWidget;
    auto* layout = new QVBoxLayout(central);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    buildBar();
    auto* bar = new QWidget;
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(12, 4, 12, 4);
    row->addWidget(buildSwitch());
    row->addSpacing(8);
    row->addWidget(m_trials);
    row->addSpacing(10);
    row->addWidget(m_conditions, 1);
    layout->addWidget(bar);
    layout->addWidget(m_campaignBar);
    layout->addWidget(m_problem);
    m_workspaces->addWidget(m_kit);
    m_workspaces->addWidget(m_night);
    m_workspaces->addWidget(m_subs);
    m_workspaces->addWidget(m_bench);
    m_workspaces->addWidget(m_skyGrid);
    m_workspaces->addWidget(m_palette);
    m_workspaces->addWidget(m_verdict);
    m_workspaces->addWidget(m_log);
    layout->addWidget(m_workspaces, 1);
    setCentralWidget(central);
}

void MainWindow::connectWorkspaces() {
    connect(m_bench, &Bench::status, m_status, &StatusLine::setPixel);
    connect(m_bench, &Bench::problem, this, &MainWindow::fail);
    connect(m_kit, &Kit::problem, this, &MainWindow::fail);
    connect(m_night, &Night::problem, this, &MainWindow::fail);
    connect(m_subs, &Subs::problem, this, &MainWindow::fail);
    connect(m_skyGrid, &SkyGrid::problem, this, &MainWindow::fail);
    connect(m_palette, &PaletteRoom::problem, this, &MainWindow::fail);
    connect(m_verdict, &VerdictRoom::problem, this, &MainWindow::fail);
    const auto say = [this](const QString& sentence) { m_status->say(sentence); };
    connect(m_bench, &Bench::told, this, say);
    connect(m_subs, &Subs::told, this, say);
    connect(m_kit, &Kit::told, this, say);
    connect(m_skyGrid, &SkyGrid::told, this, say);
    connect(m_palette, &PaletteRoom::told, this, say);
    connect(m_verdict, &VerdictRoom::told, this, say);
    m_verdict->report().palettes = [this] { return m_palette->model().labelledPictures({720, 540}); };
    connect(m_skyGrid, &SkyGrid::benchWanted, this, [this](qint64 trial) {
        m_session.showTrial(trial);
        showWorkspace(Workspace::Bench);
    });
    connect(m_verdict, &VerdictRoom::benchWanted, this, [this](qint64 trial, const QString& run) {
        m_session.showTrial(trial);
        showWorkspace(Workspace::Bench);
        m_bench->flipTo(run);
    });
    connect(m_skyGrid, &SkyGrid::planWanted, this, [this](const Trial& plan) {
        if (const Status added = m_session.addTrial(plan); !added) return fail(QString::fromStdString(added.error().message));
        showWorkspace(Workspace::Night);
    });
    connect(m_subs, &Subs::stacksMade, this, [this](const QStringList& files, bool ofThisTrial) {
        m_session.takeFrames(files, ofThisTrial && awaitsStacks(m_session.trial())); // a plan is filled by its night
        showWorkspace(Workspace::Bench);
    });
    connect(m_kit, &Kit::cameraChanged, this, [this] { m_night->setCamera(m_kit->camera()); });
    m_night->setCamera(m_kit->camera());
    connect(m_bench, &Bench::factsAsked, this, &MainWindow::askRunFacts);
    connect(m_bench, &Bench::framesWanted, this, &MainWindow::addFrames);
    connect(&m_session, &Session::failed, this, &MainWindow::fail);
    connect(m_campaignBar, &CampaignBar::saveElsewhere, this, &MainWindow::saveCampaignElsewhere);
    if (auto* application = qobject_cast<Application*>(qApp)) connect(application, &Application::failed, this, &MainWindow::fail);
    connect(&m_bench->welcome(), &Welcome::framesWanted, this, &MainWindow::newTrial);
    connect(&m_bench->welcome(), &Welcome::newCampaignWanted, this, &MainWindow::newCampaign);
    connect(&m_bench->welcome(), &Welcome::demoWanted, this, &MainWindow::openDemo);
    connect(&m_bench->welcome(), &Welcome::campaignWanted, this, &MainWindow::askCampaign);
}

void MainWindow::connectSession() {
    connect(&m_session, &Session::trialListChanged, this, &MainWindow::fillTrials);
    connect(&m_session, &Session::trialChanged, this, [this] {
        m_problem->hide();
        fillTrials();
        fillConditions();
    });
    connect(&m_session, &Session::resultsChanged, this, [this] {
        fillConditions();
        // What hindered the measurement is over once it is measured.
        if (!m_session.whyNotMeasured().isEmpty()) m_hindrance = m_session.whyNotMeasured();
        if (m_session.resultsAreCurrent() && m_problem->text() == m_hindrance) m_problem->hide();
    });
    connect(&m_session, &Session::campaignChanged, this, [this] {
        if (!m_session.campaign()) return;
        setWindowTitle(tr("%1 \u2013 Caelumen").arg(QFileInfo(m_session.campaign()->path()).completeBaseName()));
        setWindowFilePath(m_session.campaign()->path());
        remember(m_session.campaign()->path());
        m_mark.setCampaign(m_session.campaign()->path());
    });
    connect(&m_session, &Session::told, m_status, &StatusLine::say);
}

void MainWindow::followAllJobs() {
    for (JobService* jobs : {&m_session.jobs(), &m_demoJobs, &m_bench->jobs(), &m_skyGrid->model().jobs(), &m_palette->model().jobs(),
                             &m_verdict->model().jobs(), &m_verdict->report().jobs()})
        followJobs(*jobs);
    followLog();

    connect(m_status, &StatusLine::cancelled, this, [this] {
        m_session.stop();
        m_skyGrid->model().jobs().cancel();
        m_palette->model().jobs().cancel();
        m_verdict->model().jobs().cancel();
        m_verdict->report().jobs().cancel();
        m_log->model().jobs().cancel();
        m_log->merge().jobs().cancel();
        m_bench->jobs().cancel();
        m_demoJobs.cancel();
        m_status->say(tr("Stopped. Edit > Measure again goes on."));
    });
}

MainWindow::~MainWindow() = default;

void MainWindow::followJobs(JobService& jobs) {
    connect(&jobs, &JobService::started, this, [this](const QString& title) {
        m_status->begin(title);
        m_mark.setDoing(title);
    });
    connect(&jobs, &JobService::progressed, this,
            [this](double part, const QString& what, int left) { m_status->progress(part, left >= 0 ? tr("%1, about %2 s left").arg(what).arg(left) : what); });
    connect(&jobs, &JobService::idle, this, [this] {
        if (m_session.jobs().busy() || m_skyGrid->model().jobs().busy() || m_palette->model().jobs().busy() || m_verdict->model().jobs().busy() ||
            m_verdict->report().busy() || m_bench->jobs().busy() || m_log->model().jobs().busy() || m_log->merge().jobs().busy() || m_demoJobs.busy())
            return;
        m_status->end();
        m_mark.setDoing({});
    });
}

void MainWindow::showWorkspace(Workspace which) {
    m_workspaces->setCurrentIndex(static_cast<int>(which));
    m_workspaces->currentWidget()->setFocus(); // not on the switch, which would look chosen twice
    m_switch[static_cast<int>(which)]->setChecked(true);
    m_status->setPixel({});
    fillConditions(); // what the menus offer
}

MainWindow::Workspace MainWindow::workspace() const {
    return static_cast<Workspace>(m_workspaces->currentIndex());
}

void MainWindow::openCampaign(const QString& path, bool mustExist) {
    if (!mayLeave()) return;
    const Status opened = m_session.openCampaign(path, mustExist);
    if (opened) return;
    fail(QString::fromStdString(opened.error().message));
    offerMending(path);
}

void MainWindow::newCampaign() {
    QString path = m_prompts->saveFile(this, tr("New campaign"), tr("campaign") + ".caelumen", tr("Campaigns (*.caelumen)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".caelumen";
    if (QFileInfo::exists(path)) return fail(tr("%1 is there already; open it, or choose another name.").arg(path));
    openCampaign(path);
}

void MainWindow::openDemo() {
    m_demoJobs.run("demo", tr("Photographing the demo's virtual nights"), [this](const Job& job) -> JobService::Finish {
        const auto made = demoCampaign(defaultDemoFolder(), job);
        if (!made && made.error().message == kCancelled) return {};
        if (!made) return [this, sentence = QString::fromStdString(made.error().message)] { fail(sentence); };
        return [this, path = *made] { openCampaign(path, true); };
    });
}

void MainWindow::saveCampaignElsewhere() {
    const QString open = m_session.campaign() ? QFileInfo(m_session.campaign()->path()).completeBaseName() : QString("campaign");
    QString path = m_prompts->saveFile(this, tr("Save the campaign as"), open + tr(" copy") + ".caelumen", tr("Campaigns (*.caelumen)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".caelumen";
    if (const Status saved = m_session.saveCampaignAs(path); !saved) fail(QString::fromStdString(saved.error().message));
}

bool MainWindow::mayLeave() {
    m_session.saveAgain();
    return m_session.notSaved().isEmpty() ||
           m_prompts->confirm(this, tr("The last edits are not saved: %1 Lose them?").arg(m_session.notSaved()), tr("Lose the edits"));
}

void MainWindow::setTheme(ThemeKind kind) {
    applyTheme(*qApp, kind);
    QSettings().setValue("theme", themeName(kind));
    for (const QMenu* menu : menuBar()->findChildren<QMenu*>())
        for (QAction* a : menu->actions())
            if (a->data().toString() == themeName(kind)) a->setChecked(true);
    m_problem->setStyleSheet(QString("color: %1; background: %2;").arg(theme().bad.name(), theme().panel.name()));
    m_campaignBar->refresh();
    m_bench->themeChanged();
    m_kit->themeChanged();
    m_night->themeChanged();
    m_subs->themeChanged();
    m_skyGrid->themeChanged();
    m_palette->themeChanged();
    m_verdict->themeChanged();
    m_log->themeChanged();
    fillConditions();
}

void MainWindow::fail(const QString& sentence) {
    noteEvent("told: " + sentence);
    m_problem->setText(sentence);
    m_problem->show();
}

void MainWindow::fillTrials() {
    const QSignalBlocker quiet(m_trials);
    m_trials->clear();
    const auto all = m_session.trials();
    for (const Campaign::Entry& e : all) {
        // Trials of one name are told apart by place and date.
        QString title = e.title;
        if (std::count_if(all.begin(), all.end(), [&](const Campaign::Entry& o) { return o.title == e.title; }) > 1)
            if (const auto trial = m_session.stored(e.id)) {
                const std::string date = trial->runs.empty() ? std::string() : trial->runs.front().start.substr(0, 10);
                for (const std::string& more : {trial->site.name, date, date.empty() ? std::to_string(e.id) : std::string()})
                    if (!more.empty()) title += QString::fromUtf8(" \u00B7 ") + QString::fromStdString(more);
            }
        m_trials->addItem(title, e.id);
        if (e.id == m_session.trialId()) m_trials->setCurrentIndex(m_trials->count() - 1);
    }
    m_trials->setEnabled(m_trials->count() > 0);
    if (m_trials->count() == 0) m_trials->addItem(tr("No trial yet"));
    for (QAction* a : m_needTrial) a->setEnabled(m_session.hasTrial());
    fillUndo();
}

void MainWindow::fillConditions() {
    const Trial& t = m_session.trial();
    QStringList parts;
    if (!t.target.name.empty()) parts << QString::fromStdString(t.target.name);
    if (!t.site.name.empty()) parts << QString::fromStdString(t.site.name);
    if (const TrialResults* r = m_session.results())
        if (const RunConditions* c = r->conditionsOf(r->baseline)) parts << QString::fromStdString(conditionsSentence(t, *c));
    if (!t.rig.name.empty()) parts << QString::fromStdString(t.rig.name);
    m_conditions->setText(parts.join("  \u00B7  "));
    m_conditions->setToolTip(m_conditions->text());
    for (QAction* a : m_needResults) a->setEnabled(m_session.results() != nullptr);
    m_copyScores->setEnabled(m_session.results() && workspace() != Workspace::Verdict); // whose sentences have the same key
    for (QAction* a : m_needTrial) a->setEnabled(m_session.hasTrial());
    for (QAction* a : m_needBench) a->setEnabled(m_session.hasTrial() && workspace() == Workspace::Bench);
    for (QAction* a : m_needSubs) a->setEnabled(workspace() == Workspace::Subs);
    for (QAction* a : m_needNight) a->setEnabled(m_session.hasTrial() && workspace() == Workspace::Night);
    for (QAction* a : m_needPalette) a->setEnabled(workspace() == Workspace::Palette);
    for (QAction* a : m_needVerdict) a->setEnabled(workspace() == Workspace::Verdict);
    for (QAction* a : m_needLog) a->setEnabled(workspace() == Workspace::Log);
    for (QAction* a : m_needGrid) a->setEnabled(workspace() == Workspace::SkyGrid);
    for (QAction* a : m_needKit) a->setEnabled(m_session.hasTrial() && workspace() == Workspace::Kit);
}

void MainWindow::askRunFacts(const QString& run) {
    if (!m_session.trial().run(run.toStdString())) return;
    RunFactsDialog dialog(m_session.trial(), run.toStdString(), m_session.results(), *m_prompts, this);
    if (dialog.exec() == QDialog::Accepted) m_session.edit(tr("Facts of run %1").arg(run), dialog.trial());
}

void MainWindow::askTrialFacts() {
    TrialFactsDialog dialog(m_session.trial(), this);
    if (dialog.exec() == QDialog::Accepted) m_session.edit(tr("Facts of the trial"), dialog.trial());
}

void MainWindow::askCampaign(const QString& known) {
    const QString path = known.isEmpty() ? m_prompts->openFile(this, tr("Open a campaign"), tr("Campaigns (*.caelumen);;All files (*)")) : known;
    if (!path.isEmpty()) openCampaign(path, true);
}

/// A trial that was removed comes back by the same key as any other edit.
void MainWindow::undoOrRestore() {
    m_session.undoStack().canUndo() ? m_session.undoStack().undo() : m_session.restoreTrial();
}

void MainWindow::fillUndo() {
    const QUndoStack& stack = m_session.undoStack();
    const QString removed = m_session.removedTrial();
    m_undo->setEnabled(stack.canUndo() || !removed.isEmpty());
    m_undo->setText(stack.canUndo() ? tr("&Undo %1").arg(stack.undoText()) : !removed.isEmpty() ? tr("&Undo Remove \u201C%1\u201D").arg(removed) : tr("&Undo"));
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!mayLeave()) {
        event->ignore();
        return;
    }
    keepLayouts();
    m_session.jobs().cancel();
    event->accept();
}

} // namespace caelumen
