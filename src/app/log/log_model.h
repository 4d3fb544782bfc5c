#pragma once

#include "app/job_service.h"
#include "store/log_store.h"

#include <QObject>
#include <QTimer>

namespace caelumen {

class Session;

/// The log as the window shows it: all runs that any campaign or folder ever brought, those that the search finds, and what a person keeps beside them. The
/// open campaign is written into it as it changes, away from the interface thread.
class LogModel : public QObject {
    Q_OBJECT

public:
    explicit LogModel(Session& session, QObject* parent = nullptr);

    const std::vector<LogEntry>& all() const { return m_all; }
    const std::vector<std::size_t>& found() const { return m_found; } ///< of all(), what the search leaves
    std::vector<const LogEntry*> foundEntries() const;
    const LogEntry* entry(const std::string& uid) const;
    std::vector<std::string> photosOf(const LogEntry& entry) const; ///< of its filter and rig, files
    const QString& query() const { return m_query; }
    void setQuery(const QString& query);
    /// Runs of the same target as this one, by sky coordinates within half a degree, else by name.
    void showSameTarget(const LogEntry& entry);
    bool sameTargetOnly() const { return m_target.has_value(); }
    void showAllTargets();

    const std::vector<SavedSearch>& searches() const { return m_searches; }
    void saveSearch(const QString& name);
    void removeSearch(qint64 id);
    const std::vector<EquipmentEvent>& events() const { return m_events; }
    void saveEvent(const EquipmentEvent& event);
    void removeEvent(qint64 id);
    const std::vector<PracticeAnswer>& answers() const { return m_answers; }
    void addAnswer(const PracticeAnswer& answer);
    void remark(const std::string& uid, const QString& tags, const QString& notes);
    void remove(const std::vector<std::string>& uids); ///< out of the log; files and campaigns stay

    /// Stacks beneath folders, by their headers.
    void import(const QStringList& places);
    /// Trials of the runs, each read from its campaign or from its frame's header; `then` gets them on the interface thread.
    void trialsOf(const std::vector<LogEntry>& entries, const std::function<void(std::vector<Trial>)>& then);

    JobService& jobs() { return m_jobs; }
    /// Reads all anew, for instance because another window wrote.
    void reload();
    void look(); ///< whether another window wrote

signals:
    void changed();     ///< entries, or which of them are found
    void keptChanged(); ///< searches, events, answers
    void failed(const QString& sentence);
    void told(const QString& sentence);

private:
    void campaignChanged();
    void noteTrial();
    void filter();
    void readKept();
    bool hold(const Status& status);
    LogStore* store();

    Session& m_session;
    JobService m_jobs, m_notes; ///< what a person waits for; what goes on behind
    std::unique_ptr<LogStore> m_store;
    bool m_storeFailed = false;
    qint64 m_version = 0;
    QTimer m_delay;
    QString m_query;
    std::optional<Target> m_target;
    std::vector<LogEntry> m_all;
    std::vector<std::size_t> m_found;
    std::vector<SavedSearch> m_searches;
    std::vector<EquipmentEvent> m_events;
    std::vector<PracticeAnswer> m_answers;
};

} // namespace caelumen
