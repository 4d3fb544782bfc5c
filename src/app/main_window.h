#pragma once

#include "app/event_log.h"
#include "app/session.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"

#include <QMainWindow>

#include <functional>
#include <memory>

class QComboBox;
class QLabel;
class QStackedWidget;

namespace caelumen {

class StatusLine;
class Bench;
class CampaignBar;
class HelpWindow;
class Kit;
class LogRoom;
class Night;
class PaletteRoom;
class VerdictRoom;
class SkyGrid;
class Subs;

/// The window: menus, the trial in hand, what is going on, and one of the workspaces in the order of the work: Kit, Night, Subs, Bench, Sky grid, Palette,
/// Verdict, Log.
class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    void fail(const QString& sentence); ///< shows it
    explicit MainWindow(std::unique_ptr<Prompts> prompts = std::make_unique<Prompts>(), QWidget* parent = nullptr);
    ~MainWindow() override;

    Session& session() { return m_session; }
    Bench& bench() { return *m_bench; }
    Kit& kit() { return *m_kit; }
    Night& night() { return *m_night; }
    Subs& subs() { return *m_subs; }
    SkyGrid& skyGrid() { return *m_skyGrid; }
    PaletteRoom& palette() { return *m_palette; }
    VerdictRoom& verdict() { return *m_verdict; }
    LogRoom& log() { return *m_log; }
    enum class Workspace { Kit, Night, Subs, Bench, SkyGrid, Palette, Verdict, Log };
    void showWorkspace(Workspace which);
    Workspace workspace() const;
    /// Opens a campaign; of a damaged one it offers the last good copy.
    void openCampaign(const QString& path, bool mustExist = false);
    void newCampaign();
    void openDemo();
    void askCampaign(const QString& known = {}); ///< opens one that is there
    /// Says that the program ended without closing last time and what it was at; offers the campaign that was open then.
    void offerRecovery();
    void offerMending(const QString& path);
    void mend(const QString& path);
    void checkThisCampaign();
    void showEventLog();
    void setTheme(ThemeKind kind);
    void showKeys();
    QDialog* keysDialog() const { return m_keys; }
    void showManual(); ///< the page of the workspace in sight
    HelpWindow* manual() const { return m_manual; }

    /// Writes the comparison: what, by the file name's ending (html, pdf, csv, json).
    void exportComparison(const QString& ending);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

private:
    void layOut();
    void connectWorkspaces();
    void connectSession();
    void followAllJobs();
    void buildMenus();
    QAction* add(QMenu* menu, const QString& text, const QKeySequence& key, std::function<void()> slot);
    void buildFileMenu(QMenu* file);
    void buildExports(QMenu* file);
    void buildEditMenu(QMenu* edit);
    void buildCopies(QMenu* edit);
    void buildViewMenu(QMenu* view);
    void buildHelpMenu(QMenu* help);
    void followJobs(JobService& jobs);
    void followLog();
    void buildBar();
    QWidget* buildSwitch();
    void takeFiles(const QStringList& files);
    void restoreLayouts();
    void showLastWorkspace();
    void keepLayouts();
    void exportSettingsFile();
    void importSettingsFile();
    void newTrial();
    void addFrames();
    void askRunFacts(const QString& run);
    void askTrialFacts();
    void importTrial();
    void fillTrials();
    void fillConditions();
    void fillRecent();
    void undoOrRestore();
    void fillUndo();
    void remember(const QString& path);
    void saveTo(const QString& path, const QString& ending);
    void saveCampaignElsewhere();
    bool mayLeave(); ///< everything is saved, or a person says that it may be lost

    std::unique_ptr<Prompts> m_prompts;
    RunningMark m_mark;
    HelpWindow* m_manual = nullptr;
    Session m_session;
    Bench* m_bench;
    Kit* m_kit;
    Night* m_night;
    Subs* m_subs;
    SkyGrid* m_skyGrid;
    PaletteRoom* m_palette;
    VerdictRoom* m_verdict;
    LogRoom* m_log;
    QStackedWidget* m_workspaces;
    QComboBox* m_trials;
    QAction* m_undo = nullptr;
    JobService m_demoJobs;
    QLabel* m_conditions;
    StatusLine* m_status;
    QLabel* m_problem;
    QString m_hindrance; ///< of the last measurement that failed
    CampaignBar* m_campaignBar;
    QMenu* m_recent = nullptr;
    QList<QAction*> m_needTrial, m_needResults, m_needBench, m_needKit, m_needNight, m_needSubs, m_needGrid, m_needPalette, m_needVerdict, m_needLog;
    QAction* m_copyScores = nullptr;
    QList<QAction*> m_switch; ///< by workspace
    QDialog* m_keys = nullptr;
};

} // namespace caelumen
