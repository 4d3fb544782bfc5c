#include "store/campaign.h"

#include "core/base/json.h"
#include "core/trial/trial_json.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QUuid>
#include <QVariant>

namespace caelumen {
namespace {

constexpr int kFormat = 1;
constexpr int kApplicationId = 0x4361656c; // "Cael"

Error failure(const QString& path, const QString& what, const QString& reason) {
    return Error{QStringLiteral("%1: %2 (%3).").arg(path, what, reason.trimmed()).toStdString()};
}

/// Stack files beneath the campaign's folder are written relative to it, so that folder and campaign can move together.
Trial withPaths(Trial trial, const QString& campaign, bool relative) {
    const QDir folder = QFileInfo(campaign).absoluteDir();
    const auto turn = [&](std::string& file) {
        if (file.empty()) return;
        const QString name = QString::fromStdString(file);
        if (!relative) {
            file = QDir::cleanPath(folder.absoluteFilePath(name)).toStdString();
            return;
        }
        const QString near = folder.relativeFilePath(QDir::cleanPath(folder.absoluteFilePath(name)));
        file = (near.startsWith("..") ? QDir::cleanPath(folder.absoluteFilePath(name)) : near).toStdString();
    };
    for (Run& run : trial.runs) {
        turn(run.stack);
        for (std::string* file : {&run.short_stack, &run.odd_stack, &run.even_stack}) turn(*file);
    }
    for (Filter& filter : trial.filters) turn(filter.curve);
    return trial;
}

} // namespace

Campaign::Campaign(QString path, QString connection) : m_path(std::move(path)), m_connection(std::move(connection)) {}

Campaign::~Campaign() {
    QSqlDatabase::database(m_connection, false).close();
    QSqlDatabase::removeDatabase(m_connection);
}

Result<std::unique_ptr<Campaign>> Campaign::open(const QString& path) {
    const QFileInfo info(path);
    const bool isNew = !info.exists() || info.size() == 0;
    if (info.isDir()) return failure(path, "it is a folder; give a campaign file", "folder");
    if (!isNew) {
        QFile file(path);
        if (!file.open(QIODevice::ReadOnly)) return failure(path, "the campaign cannot be opened; check its permissions", file.errorString());
        if (file.read(15) != "SQLite format 3") return failure(path, "it is not a Caelumen campaign; choose another file", "unknown format");
    } else if (!QFileInfo(info.absolutePath()).isWritable()) {
        return failure(path, "a campaign cannot be made here; choose a folder you may write to", "no permission");
    }
    std::unique_ptr<Campaign> campaign(new Campaign(info.absoluteFilePath(), QUuid::createUuid().toString()));
    QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", campaign->m_connection);
    db.setDatabaseName(path);
    db.setConnectOptions("QSQLITE_BUSY_TIMEOUT=4000");
    if (!db.open()) return failure(path, "the campaign cannot be opened; check its permissions", db.lastError().text());
    QSqlQuery q(db);
    const auto number = [&](const char* pragma) {
        return q.exec(QString("PRAGMA %1").arg(pragma)) && q.next() ? q.value(0).toInt() : -1;
    };
    if (!isNew) {
        const int id = number("application_id"), version = number("user_version");
        if (id != kApplicationId) return failure(path, "it is not a Caelumen campaign, or it is damaged; choose another file", q.lastError().text().isEmpty() ? "unknown content" : q.lastError().text());
        if (version > kFormat) return failure(path, "it was written by a newer version; update the program to open it", QString("format %1").arg(version));
        if (q.exec("PRAGMA quick_check(1)") && q.next() && q.value(0).toString() != "ok") return failure(path, "the campaign is damaged; restore it from a copy", q.value(0).toString());
        q.finish();
    }
    q.exec("PRAGMA journal_mode = WAL");
    q.exec("PRAGMA synchronous = FULL");
    q.exec("PRAGMA foreign_keys = ON");
    q.finish();
    if (isNew) {
        const char* schema[] = {"CREATE TABLE trial (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, title TEXT NOT NULL, body TEXT NOT NULL, changed TEXT NOT NULL)",
                                "CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL)"};
        db.transaction();
        bool done = true;
        for (const char* line : schema) done = done && q.exec(line);
        done = done && q.exec(QString("PRAGMA application_id = %1").arg(kApplicationId)) && q.exec(QString("PRAGMA user_version = %1").arg(kFormat));
        if (!done || !db.commit()) {
            const Error error = failure(path, "the campaign could not be made; check the folder and the space left", q.lastError().text());
            db.rollback();
            return error;
        }
    }
    return campaign;
}

std::vector<Campaign::Entry> Campaign::trials() const {
    std::vector<Entry> out;
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.exec("SELECT id, title FROM trial ORDER BY position, id");
    while (q.next()) out.push_back({q.value(0).toLongLong(), q.value(1).toString()});
    return out;
}

Result<Trial> Campaign::trial(qint64 id) const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("SELECT body FROM trial WHERE id = ?");
    q.addBindValue(id);
    if (!q.exec() || !q.next()) return failure(m_path, "the trial is not in the campaign any more", q.lastError().text());
    const auto json = parseJson(q.value(0).toString().toStdString(), m_path.toStdString());
    if (!json) return json.error();
    auto trial = trialFromJson(*json, m_path.toStdString());
    if (!trial) return trial;
    return withPaths(std::move(*trial), m_path, false);
}

Result<qint64> Campaign::addTrial(const Trial& trial) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("INSERT INTO trial (position, title, body, changed) VALUES ((SELECT COALESCE(MAX(position), 0) + 1 FROM trial), ?, ?, ?)");
    q.addBindValue(QString::fromStdString(trial.title));
    q.addBindValue(QString::fromStdString(trialToJson(withPaths(trial, m_path, true)).dump()));
    q.addBindValue(QDateTime::currentDateTimeUtc().toString(Qt::ISODate));
    if (!q.exec()) return failure(m_path, "the trial could not be saved; check the space left", q.lastError().text());
    return q.lastInsertId().toLongLong();
}

Status Campaign::saveTrial(qint64 id, const Trial& trial) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("UPDATE trial SET title = ?, body = ?, changed = ? WHERE id = ?");
    q.addBindValue(QString::fromStdString(trial.title));
    q.addBindValue(QString::fromStdString(trialToJson(withPaths(trial, m_path, true)).dump()));
    q.addBindValue(QDateTime::currentDateTimeUtc().toString(Qt::ISODate));
    q.addBindValue(id);
    if (!q.exec()) return failure(m_path, "the change could not be saved; check the space left", q.lastError().text());
    if (q.numRowsAffected() != 1) return failure(m_path, "the trial is not in the campaign any more", "removed");
    return Done{};
}

Status Campaign::removeTrial(qint64 id) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("DELETE FROM trial WHERE id = ?");
    q.addBindValue(id);
    if (!q.exec()) return failure(m_path, "the trial could not be removed", q.lastError().text());
    return Done{};
}

Status Campaign::copyTo(const QString& path) const {
    const QString part = path + ".part";
    QFile::remove(part);
    // Trials are re-written so that relative names hold from the new place.
    {
        auto copy = open(part);
        if (!copy) return copy.error();
        for (const Entry& e : trials()) {
            auto t = trial(e.id);
            if (!t) return t.error();
            if (auto added = (*copy)->addTrial(*t); !added) return added.error();
        }
    }
    for (const QString& name : {part, path})
        for (const char* ending : {"-wal", "-shm"}) QFile::remove(name + ending);
    QFile::remove(path);
    if (!QFile::rename(part, path)) return failure(path, "the copy could not be written; check the folder and the space left", "rename failed");
    return Done{};
}

QString Campaign::setting(const QString& key) const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("SELECT value FROM setting WHERE key = ?");
    q.addBindValue(key);
    return q.exec() && q.next() ? q.value(0).toString() : QString();
}

Status Campaign::setSetting(const QString& key, const QString& value) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("INSERT OR REPLACE INTO setting (key, value) VALUES (?, ?)");
    q.addBindValue(key);
    q.addBindValue(value);
    if (!q.exec()) return failure(m_path, "a setting could not be saved", q.lastError().text());
    return Done{};
}

} // namespace caelumen
