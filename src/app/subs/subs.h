#pragma once

#include "app/subs/sub_chart.h"
#include "app/subs/sub_table.h"
#include "app/subs/subs_model.h"
#include "app/subs/transfer_dialog.h"
#include "app/subs/virtual_camera.h"
#include "core/prepare/lines.h"

#include <QPointer>
#include <QTimeZone>
#include <QTimer>
#include <QWidget>

class QAction;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QListWidget;
class QMenu;
class QPushButton;
class QSplitter;
class QTabWidget;
class QTableView;
class QToolButton;

namespace caelumen {

class Prompts;
class LivePanel;
class RunTable;
class SubView;

/// Subs: which of them count? Runs and calibration frames on the left; the sub in hand at its own size and a quantity over the night in the middle; verdicts,
/// limits and stacking on the right.
class Subs : public QWidget {
    Q_OBJECT

public:
    Subs(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    SubsModel& model() { return m_model; }
    VirtualCamera& camera() { return m_camera; }
    QListWidget& runs() { return *m_runs; }
    QListWidget& others() { return *m_others; }
    QTableView& table() { return *m_table; }
    SubChart& chart() { return *m_chart; }
    SubView& view() { return *m_view; }
    QTabWidget& tabs() { return *m_tabs; }
    RunTable& runTable() { return *m_runTable; }
    LivePanel& live() { return *m_live; }
    TransferDialog* transfer() const { return m_transfer; }
    void showTransfer(); ///< gain and read noise from the flats and biases of the run in hand
    QLabel& summary() { return *m_summary; }
    int current() const { return m_sub; }
    void showSub(int sub);
    void step(int by);
    void play(bool on);
    bool playing() const { return m_play.isActive(); }
    void overrule(SubsModel::Word word);
    bool takeFiles(const QStringList& files); ///< folders, or files that may be subs
    void stackRun();
    void stackAll();
    void separateLines();
    QString tableText() const { return m_rows.text(); }
    QString chartText() const { return m_chart->text(); }
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);
    /// What its actions are, for the menus and the list of keys.
    const QList<QAction*>& keyActions() const { return m_actions; }

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);                          ///< what went well
    void stacksMade(const QStringList& files, bool ofThisTrial); ///< for the Bench; whether the trial in hand is of the same target

private:
    void buildActions();
    void connectAll();
    QWidget* buildLeft();
    QWidget* buildMiddle();
    QWidget* buildRight();
    QWidget* buildLimits();
    QWidget* buildStacking();
    void buildMenu(QMenu* menu);
    void fill(); ///< groups
    void fitColumns();
    void fillRun(); ///< figures and verdicts
    void fillSub();
    void fillControls();
    void editDecisions(const QString& what, int merge, const std::function<void(SubsDecisions&)>& change);
    int groupOf(const QListWidget* list) const;
    LineMatrix lineMatrixOf(const QString& stack) const; ///< what filter and camera of its run make of the lines
    QString suggestedStack(int group) const;
    QTimeZone zone() const; ///< of the place; invalid where none is known
    QTimeZone m_zone;       ///< that times are shown in
    QString clock(const std::string& iso) const;
    void finished(const QStringList& files, const QStringList& notes);
    void askVirtualCamera();
    void askFacts();
    void hearLanded(int group, int sub); ///< a verdict on what has landed in the watched folder
    bool eventFilter(QObject* of, QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void showEvent(QShowEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    SubsModel m_model;
    VirtualCamera m_camera;
    JobService m_lineJobs;
    QListWidget *m_runs, *m_others;
    QLabel *m_where, *m_summary, *m_notes, *m_cameraText;
    QPushButton *m_addFolder, *m_stackRun, *m_stackAll, *m_lines, *m_cancel;
    QToolButton *m_more, *m_playButton, *m_whole;
    SubView* m_view;
    SubChart* m_chart;
    QComboBox *m_quantity, *m_mosaic, *m_method, *m_reject, *m_normalise, *m_weights, *m_flats, *m_pace;
    QWidget* m_cameraRow;
    QCheckBox *m_halves, *m_maps;
    QDoubleSpinBox *m_low, *m_high;
    std::vector<std::pair<QDoubleSpinBox*, double CullLimits::*>> m_limits;
    QTableView* m_table;
    SubTable m_rows;
    RunTable* m_runTable;
    LivePanel* m_live;
    QPointer<TransferDialog> m_transfer;
    QToolButton* m_follow;
    QTabWidget* m_tabs;
    QSplitter *m_across, *m_down;
    QTimer m_play;
    QList<QAction*> m_actions;
    QStringList m_stacks; ///< made in this session, latest
    int m_sub = -1;
    bool m_filling = false;
};

} // namespace caelumen
