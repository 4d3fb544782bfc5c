#pragma once

#include "core/base/result.h"
#include "core/model/trial.h"
#include "store/campaign_lock.h"

#include <QString>

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

class QSqlQuery;

namespace caelumen {

/// A campaign: trials kept together in one SQLite file (schema in docs/formats.md). Every change is one committed transaction, so that a killed process loses
/// nothing that was saved; `toDisk` makes it outlast the machine's power as well. Frames stay where they are; their names in the file are relative to it where
/// they lie beneath its folder. One process writes a campaign at a time: the one that holds its lock and whose mark stands in it. All others read.
class Campaign {
public:
    struct Entry {
        qint64 id = 0;
        QString title;
    };
    /// What could not be saved yet and goes along into a copy.
    struct Unsaved {
        std::map<qint64, Trial> trials;
        std::map<QString, QString> settings;
        bool empty() const { return trials.empty() && settings.empty(); }
    };

    ~Campaign();
    Campaign(const Campaign&) = delete;
    Campaign& operator=(const Campaign&) = delete;

    /// Opens a campaign to work on it, or makes a new one; where another process works on it, or it cannot be written, it is only read (isReadOnly). A file of
    /// a newer format, a damaged one, or one that is no campaign, is an Error and stays untouched. A good copy of what was opened is kept beside it
    /// (lastGoodCopy). `lookedThrough`: that it is free of damage was found out just now (lookThrough), and the copy is kept by whoever opens it; both take
    /// their time with a large campaign.
    static Result<std::unique_ptr<Campaign>> open(const QString& path, bool lookedThrough = false);
    /// Whether a campaign can be opened and is free of damage; one that is not there yet is. From any thread, like keepGoodCopy.
    static Status lookThrough(const QString& path);
    static Status keepGoodCopy(const QString& path);
    /// Opens a campaign that is there, and changes nothing: no file is made.
    static Result<std::unique_ptr<Campaign>> openToRead(const QString& path, bool lookedThrough = false);

    QString path() const { return m_path; }
    bool isReadOnly() const { return !m_lock.has_value(); }
    QString whyReadOnly() const { return m_whyReadOnly; }    ///< one sentence
    bool isHeldElsewhere() const { return m_heldElsewhere; } ///< by somebody from whom it can be taken over
    /// Goes on as the one who writes; whoever did finds out.
    Status takeOver();
    /// What happened meanwhile; to be asked now and then.
    struct News {
        bool lostWriting = false; ///< somebody has taken over
        bool changed = false;     ///< somebody else wrote
    };
    News lookAround();

    Result<std::vector<Entry>> trials() const;
    Result<Trial> trial(qint64 id) const;
    /// Adds a trial at the end; its id.
    Result<qint64> addTrial(const Trial& trial);
    Status saveTrial(qint64 id, const Trial& trial);
    Status removeTrial(qint64 id);
    /// How many changes were saved since this was opened.
    std::uint64_t changes() const { return m_changes; }

    /// Waits until all that was saved lies on the disk itself. From any thread: a disk may take its time.
    static Status toDisk(const QString& path);

    /// A whole copy at another place, with all trials and settings and what is not saved yet; it replaces a file there in one step. A campaign that is open
    /// elsewhere is not replaced.
    Status copyTo(const QString& path, const Unsaved& unsaved = {}) const;

    /// The copy kept when a campaign was last opened whole; empty where there is none (campaign_check.h mends from it).
    static QString lastGoodCopy(const QString& path);

    /// Small settings that belong to the campaign (the trial last shown, for one).
    QString setting(const QString& key) const;
    Status setSetting(const QString& key, const QString& value);

private:
    Campaign(QString path, QString connection);
    static bool isNew(const QString& path);
    Status connect(const QString& options, const QString& name);
    Status claim(CampaignLock lock);
    void readOnly(const QString& why, bool heldElsewhere);
    bool isInPlace() const;
    /// One transaction, made only while nobody else has taken over. `work` is false where a statement failed.
    Status change(const QString& failing, const std::function<bool(QSqlQuery&)>& work);

    QString m_path, m_connection, m_mark, m_whyReadOnly;
    std::optional<CampaignLock> m_lock;
    bool m_heldElsewhere = false;
    qint64 m_version = 0;
    std::uint64_t m_changes = 0;
    struct Parsed {
        QString body;
        Trial trial;
    };
    mutable std::map<qint64, Parsed> m_parsed;                 ///< as last read: all views ask for all trials whenever one changes
    std::pair<unsigned long long, unsigned long long> m_place; ///< device and number of the file that is open
};

} // namespace caelumen
