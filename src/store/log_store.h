#pragma once

#include "core/log/log_query.h"
#include "core/practice/exercise.h"

#include <QString>
#include <QStringList>

#include <functional>
#include <memory>
#include <optional>
#include <vector>

class QSqlQuery;

namespace caelumen {

/// What happened to a filter or a telescope.
struct EquipmentEvent {
    qint64 id = 0;
    bool isRig = false; ///< else a filter
    std::string name;   ///< of the filter or rig
    std::string date;   ///< "2026-03-14"
    std::string what;   ///< bought, cleaned, scratched, sold, ... in a person's words
    std::string note, photo;
};

/// A search that was given a name.
struct SavedSearch {
    qint64 id = 0;
    std::string name, query;
};

/// The log of all campaigns: one SQLite file of the person, with full text (FTS5). To be used in the thread that opened it. Several windows may have it open;
/// each change is one transaction.
class LogStore {
public:
    static Result<std::unique_ptr<LogStore>> open(const QString& path);
    static QString defaultPath();
    ~LogStore();
    LogStore(const LogStore&) = delete;
    LogStore& operator=(const LogStore&) = delete;

    Result<std::vector<LogEntry>> entries() const; ///< newest night first
    /// Writes entries; tags and notes that a person gave stay. `wholeCampaign`: entries of that campaign that are not among them go.
    Status put(const std::vector<LogEntry>& entries, const std::string& wholeCampaign = {});
    /// Of a campaign whose file has another name now: its runs with all that a person wrote.
    Status rename(const std::string& campaign, const std::string& to);
    Status remark(const std::string& uid, const std::string& tags, const std::string& notes);
    Status remove(const std::vector<std::string>& uids);
    /// The uids that a query finds; nothing for a query that is empty.
    Result<std::optional<std::vector<std::string>>> find(const LogQuery& query) const;

    Result<std::vector<SavedSearch>> searches() const;
    Status saveSearch(const std::string& name, const std::string& query); ///< replaces one of that name
    Status removeSearch(qint64 id);
    Result<std::vector<EquipmentEvent>> events() const; ///< by name and date
    Status saveEvent(const EquipmentEvent& event);      ///< id 0: a new one
    Status removeEvent(qint64 id);
    Result<std::vector<PracticeAnswer>> answers() const; ///< oldest first
    Status addAnswer(const PracticeAnswer& answer);

    QString path() const { return m_path; }
    /// Changes whenever somebody else wrote.
    qint64 version() const;

private:
    LogStore(QString path, QString connection);
    Status change(const std::function<bool(QSqlQuery&)>& work);
    Error failure(const QSqlQuery& query, const char* what) const;
    QString m_path, m_connection;
};

} // namespace caelumen
