#include "app/bench/bench.h"
#include "app/bench/evidence_plot.h"
#include "app/grid/sky_grid.h"
#include "app/kit/kit.h"
#include "app/log/log_room.h"
#include "app/log/merge_page.h"
#include "app/main_window.h"
#include "app/night/night.h"
#include "app/palette/palette.h"
#include "app/subs/subs.h"
#include "app/verdict/verdict_room.h"
#include "app/widgets/status_line.h"

#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QToolButton>

#include <functional>
#include <tuple>

/// What the window offers: the switch between workspaces, its bar and menus.
namespace caelumen {

QWidget* MainWindow::buildSwitch() {
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(2);
    auto* group = new QActionGroup(this);
    for (const auto& [which, name, tip, key] : {std::tuple{Workspace::Kit, tr("Kit"), tr("What is this filter, really?"), "Alt+1"},
                                                {Workspace::Night, tr("Night"), tr("What shall I shoot, and in which order?"), "Alt+2"},
                                                {Workspace::Subs, tr("Subs"), tr("Which subs count?"), "Alt+3"},
                                                {Workspace::Bench, tr("Bench"), tr("Which filter is better, and by how much?"), "Alt+4"},
                                                {Workspace::SkyGrid, tr("Sky grid"), tr("Does it hold under my sky?"), "Alt+5"},
                                                {Workspace::Palette, tr("Palette"), tr("What will the picture be like?"), "Alt+6"},
                                                {Workspace::Verdict, tr("Verdict"), tr("Which filter, for whom, and how to publish it?"), "Alt+7"},
                                                {Workspace::Log, tr("Log"), tr("What did I do before?"), "Alt+8"}}) {
        auto* action = new QAction(name, group);
        action->setCheckable(true);
        action->setShortcut(QKeySequence(key));
        action->setToolTip(QString("%1 (%2)").arg(tip, QString(key)));
        connect(action, &QAction::triggered, this, [this, w = which] { showWorkspace(w); });
        auto* button = new QToolButton;
        button->setDefaultAction(action);
        button->setMinimumWidth(54);
        row->addWidget(button);
        m_switch << action;
    }
    return box;
}

void MainWindow::buildBar() {
    m_trials->setMinimumWidth(260);
    m_trials->setSizeAdjustPolicy(QComboBox::AdjustToContents);
    m_trials->setMaximumWidth(420);
    m_trials->setAccessibleName(tr("Trial"));
    connect(m_trials, &QComboBox::activated, this, [this](int index) { m_session.showTrial(m_trials->itemData(index).toLongLong()); });
    m_conditions->setObjectName("dim");
    m_conditions->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_problem->hide();
    m_problem->setWordWrap(true);
    m_problem->setContentsMargins(14, 4, 14, 6);
    m_problem->setTextInteractionFlags(Qt::TextSelectableByMouse);
}

QAction* MainWindow::add(QMenu* menu, const QString& text, const QKeySequence& key, std::function<void()> slot) {
    QAction* action = menu->addAction(text, this, std::move(slot));
    action->setShortcut(key);
    return action;
}

void MainWindow::buildMenus() {
    menuBar()->setNativeMenuBar(false);
    menuBar()->setCornerWidget(m_status, Qt::TopRightCorner);
    buildFileMenu(menuBar()->addMenu(tr("&File")));
    buildEditMenu(menuBar()->addMenu(tr("&Edit")));
    buildViewMenu(menuBar()->addMenu(tr("&View")));
    buildHelpMenu(menuBar()->addMenu(tr("&Help")));
}

void MainWindow::buildFileMenu(QMenu* file) {
    add(file, tr("&New trial from frames \u2026"), QKeySequence::New, [this] { newTrial(); });
    add(file, tr("New night to &plan"), QKeySequence("Ctrl+Shift+P"), [this] {
        showWorkspace(Workspace::Night);
        m_night->newNight();
    });
    m_needTrial << add(file, tr("&Add frames to this trial \u2026"), QKeySequence("Ctrl+Shift+N"), [this] { addFrames(); });
    add(file, tr("&Import a trial file \u2026"), QKeySequence("Ctrl+I"), [this] { importTrial(); });
    file->addSeparator();
    add(file, tr("New ca&mpaign \u2026"), {}, [this] { newCampaign(); });
    add(file, tr("&Open a campaign \u2026"), QKeySequence::Open, [this] { askCampaign(); });
    m_recent = file->addMenu(tr("Recent &campaigns"));
    fillRecent();
    add(file, tr("Open the &demo"), {}, [this] { openDemo(); });
    add(file, tr("&Save the campaign as \u2026"), QKeySequence::SaveAs, [this] { saveCampaignElsewhere(); });
    add(file, tr("C&heck this campaign \u2026"), {}, [this] { checkThisCampaign(); })->setObjectName("checkCampaign");
    file->addSeparator();
    buildExports(file);
    m_needLog << add(file, tr("Import a folder of old stacks \u2026"), {}, [this] { m_log->askImport(); });
    m_needLog << add(file, tr("Share the results of this trial \u2026"), {}, [this] { m_log->merge().share(); });
    file->addSeparator();
    add(file, tr("&Quit"), QKeySequence::Quit, [this] { close(); });
}

/// What goes out, a menu for each kind of result.
void MainWindow::buildExports(QMenu* file) {
    QMenu* out = file->addMenu(tr("&Export the comparison"));
    m_needResults << add(out, tr("Page with pictures and plots (HTML) \u2026"), QKeySequence("Ctrl+E"), [this] { exportComparison("html"); });
    m_needResults << add(out, tr("The same on paper (PDF) \u2026"), {}, [this] { exportComparison("pdf"); });
    m_needResults << add(out, tr("Table (CSV) \u2026"), {}, [this] { exportComparison("csv"); });
    m_needResults << add(out, tr("Results (JSON) \u2026"), {}, [this] { exportComparison("json"); });
    QMenu* grid = file->addMenu(tr("Export the s&ky grid"));
    for (const auto& [text, ending] : {std::pair{tr("Table (CSV) \u2026"), "csv"},
                                       {tr("Results (JSON) \u2026"), "json"},
                                       {tr("Picture (PNG) \u2026"), "png"},
                                       {tr("Drawing (SVG) \u2026"), "svg"}})
        m_needGrid << add(grid, text, {}, [this, e = QString(ending)] { m_skyGrid->askExport(e); });
    m_needGrid << add(file, tr("&Lay another campaign into the grid \u2026"), {}, [this] { m_skyGrid->askCampaign(); });
    m_needGrid << add(file, tr("Only this campaign in the grid"), {}, [this] { m_skyGrid->model().forgetOthers(); });
    QMenu* picture = file->addMenu(tr("Export the p&icture"));
    for (const auto& [text, ending] : {std::pair{tr("For a screen (PNG) \u2026"), "png"},
                                       {tr("For more work (TIFF) \u2026"), "tif"},
                                       {tr("Its recipe (JSON) \u2026"), "json"},
                                       {tr("All filters side by side (PNG) \u2026"), "sheet"},
                                       {tr("All recipes of this filter side by side (PNG) \u2026"), "recipes"},
                                       {tr("All filters in turn, for a web page (WebP) \u2026"), "webp"}})
        m_needPalette << add(picture, text, {}, [this, e = QString(ending)] { m_palette->askExport(e); });
    QMenu* report = file->addMenu(tr("Export the &verdict and its report"));
    for (const auto& [text, what] : {std::pair{tr("Report as a web page (HTML) \u2026"), "html"},
                                     {tr("Report on paper (PDF) \u2026"), "pdf"},
                                     {tr("Everything in an archive (ZIP) \u2026"), "zip"},
                                     {tr("Verdict with all its figures (JSON) \u2026"), "json"},
                                     {tr("One picture, wide (PNG) \u2026"), "card"},
                                     {tr("One picture, wide (SVG) \u2026"), "card-svg"},
                                     {tr("One picture, tall (PNG) \u2026"), "tall"},
                                     {tr("Figures for slides, 1920 \u00D7 1080 \u2026"), "slides"},
                                     {tr("Figures for video, 3840 \u00D7 2160 \u2026"), "slides-4k"}})
        m_needVerdict << add(report, text, {}, [this, w = QString(what)] { m_verdict->askExport(w); });
}

void MainWindow::buildEditMenu(QMenu* edit) {
    m_undo = new QAction(tr("&Undo"), this);
    m_undo->setShortcut(QKeySequence::Undo);
    connect(m_undo, &QAction::triggered, this, &MainWindow::undoOrRestore);
    connect(&m_session.undoStack(), &QUndoStack::indexChanged, this, &MainWindow::fillUndo);
    QAction* redo = m_session.undoStack().createRedoAction(this, tr("&Redo"));
    redo->setShortcuts({QKeySequence::Redo, QKeySequence("Ctrl+Y")});
    edit->addActions({m_undo, redo});
    edit->addSeparator();
    m_needVerdict << add(edit, tr("Copy the verdict as text"), QKeySequence("Ctrl+Shift+C"), [this] { m_verdict->copyText(); });
    m_needVerdict << add(edit, tr("Copy the ranking as a table"), QKeySequence("Ctrl+Shift+T"), [this] { m_verdict->copyTable(); });
    m_needPalette << add(edit, tr("Copy the pictures as shown"), QKeySequence::Copy, [this] { m_palette->copyShown(); });
    m_needBench << add(edit, tr("Copy the picture as shown"), QKeySequence::Copy,
                       [this] { QGuiApplication::clipboard()->setImage(m_bench->view().pictureAsShown()); });
    edit->addSeparator();
    m_needBench << add(edit, tr("&Rename the region \u2026"), QKeySequence("F2"), [this] { m_bench->renameRegion(m_bench->view().selected()); });
    m_needBench << add(edit, tr("&Delete the region"), QKeySequence::Delete, [this] { m_bench->deleteSelectedRegion(); });
    edit->addSeparator();
    m_needTrial << add(edit, tr("Facts of the &trial \u2026"), QKeySequence("Ctrl+T"), [this] { askTrialFacts(); });
    m_needTrial << add(edit, tr("Facts of this r&un \u2026"), QKeySequence("Ctrl+R"), [this] { askRunFacts(m_bench->view().current()); });
    m_needTrial << add(edit, tr("&Measure again"), QKeySequence("F5"), [this] { m_session.measureNow(true); });
    m_needTrial << add(edit, tr("Remove this trial \u2026"), {}, [this] {
        if (m_prompts->confirm(this,
                               tr("Remove \"%1\" from the campaign? The frames stay where they are.").arg(QString::fromStdString(m_session.trial().title)),
                               tr("Remove")))
            m_session.removeTrial();
    });
    edit->addSeparator();
    buildCopies(edit);

    edit->addSeparator();
    add(edit, tr("Export the settings \u2026"), {}, [this] { exportSettingsFile(); });
    add(edit, tr("Import settings \u2026"), {}, [this] { importSettingsFile(); });
}

/// Each screen's tables and numbers. Where there is nothing but a heading yet, the clipboard keeps what it has.
void MainWindow::buildCopies(QMenu* edit) {
    const auto copy = [&](const QString& text, const QKeySequence& key, const std::function<QString()>& table) {
        return add(edit, text, key, [this, table] {
            const QString rows = table();
            if (!rows.trimmed().contains('\n')) return fail(tr("There is nothing to copy here yet."));
            QGuiApplication::clipboard()->setText(rows);
        });
    };
    m_copyScores = copy(tr("&Copy the scores as a table"), QKeySequence("Ctrl+Shift+C"), [this] { return m_bench->figuresAsText(); });
    m_needResults << copy(tr("Copy the &plot's numbers"), {}, [this] { return m_bench->evidence().csv(); });
    m_needNight << copy(tr("Copy the blocks, as a table"), {}, [this] { return m_night->tableText(); });
    m_needSubs << copy(tr("Copy the verdicts, as a table"), {}, [this] { return m_subs->tableText(); });
    m_needSubs << copy(tr("Copy the chart's numbers"), {}, [this] { return m_subs->chartText(); });
    m_needGrid << copy(tr("Copy the sky grid, as a table"), {}, [this] { return m_skyGrid->tableText(); });
    m_needLog << copy(tr("Copy the runs of the log, as a table"), {}, [this] { return m_log->tableText(); });
    m_needKit << copy(tr("Copy what the curve says, as a table"), {}, [this] { return m_kit->tableText(); });
}

void MainWindow::buildViewMenu(QMenu* view) {
    view->addActions(m_switch);
    view->addSeparator();
    auto* themes = new QActionGroup(this);
    for (const auto& [kind, name, key] : {std::tuple{ThemeKind::Grey, tr("Grey room"), "Ctrl+1"},
                                          {ThemeKind::Light, tr("Daylight"), "Ctrl+2"},
                                          {ThemeKind::Red, tr("Red, beside the telescope"), "Ctrl+3"}}) {
        QAction* action = add(view, name, QKeySequence(key), [this, k = kind] { setTheme(k); });
        action->setCheckable(true);
        action->setData(themeName(kind));
        themes->addAction(action);
    }
    view->addSeparator();
    add(view, tr("Hide what was masked"), QKeySequence("M"), [this] { m_bench->hideMarks(); });
}

void MainWindow::buildHelpMenu(QMenu* help) {
    add(help, tr("&Manual"), QKeySequence::HelpContents, [this] { showManual(); });
    add(help, tr("&Keys"), QKeySequence("?"), [this] { showKeys(); });
    add(help, tr("&Event log \u2026"), {}, [this] { showEventLog(); });
    help->addAction(tr("&About Caelumen"), this, [this] {
        m_prompts->tell(this, tr("Caelumen %1\nFair comparisons of astrophotography filters.\nGPL-3.0-or-later.\n\nNone of the filters it compares is a solar "
                                 "filter: never point a telescope with them at the sun.")
                                  .arg(CAELUMEN_VERSION));
    });
}

} // namespace caelumen
