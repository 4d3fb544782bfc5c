#pragma once

#include "app/log/log_model.h"
#include "app/log/log_table.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QListWidget;
class QSplitter;
class QTabWidget;
class QTableView;
class QToolButton;

namespace caelumen {

class EntryPanel;
class EquipmentPage;
class HoursPage;
class MergePage;
class PracticePage;
class Prompts;
class TimelinePlot;

/// Log: what did I do before? All runs over the years, found by words; as a table, over time, in hours; the lives of filters; several testers as one; practice.
class LogRoom : public QWidget {
    Q_OBJECT

public:
    LogRoom(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    LogModel& model() { return m_model; }
    QLineEdit& search() { return *m_search; }
    QListWidget& searches() { return *m_searches; }
    QTableView& table() { return *m_view; }
    LogTable& rows() { return m_rows; }
    QTabWidget& tabs() { return *m_tabs; }
    EntryPanel& entry() { return *m_entry; }
    TimelinePlot& timeline() { return *m_timeline; }
    HoursPage& hours() { return *m_hours; }
    EquipmentPage& equipment() { return *m_equipment; }
    MergePage& merge() { return *m_merge; }
    PracticePage& practice() { return *m_practice; }
    bool takeFiles(const QStringList& files); ///< folders of old stacks; results on the page that merges them
    QString tableText() const;
    void askImport();
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);
    const QList<QAction*>& keyActions() const { return m_actions; }

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);
    void benchWanted(const QString& campaign, qint64 trial, const QString& run); ///< a run of some campaign
    void framesWanted(const QStringList& files);                                 ///< stacks that no campaign has, as a new trial
    void trialWanted(const Trial& trial);                                        ///< a new one, in the open campaign

protected:
    void showEvent(QShowEvent* event) override;

private:
    void buildSearch();
    void connectSearch();
    void connectAll();
    QWidget* buildSide();
    QWidget* buildRuns();
    void fill();
    void fillKept();
    void fillEntry();
    void open();
    void compare();
    void choose(const std::string& uid);
    std::vector<LogEntry> chosen() const;

    Session& m_session;
    Prompts& m_prompts;
    LogModel m_model;
    LogTable m_rows;
    QLineEdit* m_search;
    QToolButton *m_save, *m_more;
    QLabel* m_count;
    QListWidget* m_searches;
    QTableView* m_view;
    QTabWidget* m_tabs;
    EntryPanel* m_entry;
    TimelinePlot* m_timeline;
    HoursPage* m_hours;
    EquipmentPage* m_equipment;
    MergePage* m_merge;
    PracticePage* m_practice;
    QWidget *m_side, *m_searchRow;
    QSplitter* m_across;
    QTimer m_typed, m_look;
    std::vector<std::string> m_chosen; ///< uids
    QList<QAction*> m_actions;
    bool m_filling = false;
};

} // namespace caelumen
