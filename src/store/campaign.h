#pragma once

#include "core/base/result.h"
#include "core/trial/trial.h"

#include <QString>

#include <memory>
#include <vector>

namespace caelumen {

/// A campaign: trials kept together in one SQLite file (schema in docs/formats.md). Every change is one committed transaction, so that a killed process loses
/// nothing that was saved. Frames stay where they are; their names in the file are relative to it where they lie beneath its folder.
class Campaign {
public:
    struct Entry {
        qint64 id = 0;
        QString title;
    };

    ~Campaign();
    Campaign(const Campaign&) = delete;
    Campaign& operator=(const Campaign&) = delete;

    /// Opens a campaign file or makes a new one. A file of a newer format, or one that is no campaign, is an Error and stays untouched.
    static Result<std::unique_ptr<Campaign>> open(const QString& path);

    QString path() const { return m_path; }
    std::vector<Entry> trials() const;
    Result<Trial> trial(qint64 id) const;
    /// Adds a trial at the end; its id.
    Result<qint64> addTrial(const Trial& trial);
    Status saveTrial(qint64 id, const Trial& trial);
    Status removeTrial(qint64 id);

    /// A whole copy of the file at another place, made by the database itself, then renamed.
    Status copyTo(const QString& path) const;

    /// Small settings that belong to the campaign (the trial last shown, for one).
    QString setting(const QString& key) const;
    Status setSetting(const QString& key, const QString& value);

private:
    Campaign(QString path, QString connection);
    QString m_path, m_connection;
};

} // namespace caelumen
