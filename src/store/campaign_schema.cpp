#include "store/campaign_schema.h"

#include "core/base/file.h"
#include "core/base/text.h"
#include "store/words.h"

#include <QFile>
#include <QSqlQuery>
#include <QUrl>
#include <QVariant>

#include <map>
#include <utility>
#include <vector>

namespace caelumen {
namespace {

constexpr int kFormat = 1;
constexpr int kApplicationId = 0x4361656c; // "Cael"
constexpr qint64 kLargest = 512LL << 20;   ///< bytes of a campaign file; thousands of trials take some megabytes
constexpr qint64 kMostTrials = 100'000, kLongestText = 64 << 20;

struct Table {
    const char *name, *sql;
    QStringList columns;
};

const std::vector<Table>& tables() {
    static const std::vector<Table> all{
        {"trial",
         "CREATE TABLE trial (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, title TEXT NOT NULL, body TEXT NOT NULL, changed TEXT NOT NULL)",
         {"id", "position", "title", "body", "changed"}},
        {"setting", "CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL)", {"key", "value"}},
    };
    return all;
}

/// The one value of a question; invalid where there is none.
QVariant ask(QSqlQuery& q, const QString& question) {
    return q.exec(question) && q.next() ? q.value(0) : QVariant();
}

Error damaged(const QString& path, const QString& reason) {
    return campaignFailure(path, words("the campaign is damaged"), reason);
}

Status checkTables(QSqlQuery& q, const QString& path) {
    std::map<QString, QString> found; // name, type
    if (!q.exec("SELECT name, type, sql FROM sqlite_master")) return damaged(path, reasonOf(q.lastError()));
    while (q.next()) {
        const QString name = q.value(0).toString(), type = q.value(1).toString();
        if (type == "view" || type == "trigger" || q.value(2).toString().contains("VIRTUAL TABLE", Qt::CaseInsensitive))
            return damaged(path, words("it holds a %1 named %2, which no campaign has").arg(type, name));
        found[name] = type;
    }
    for (const Table& table : tables()) {
        const auto it = found.find(table.name);
        if (it == found.end() || it->second != "table") return damaged(path, words("its table of %1s is gone").arg(table.name));
        QStringList columns;
        if (q.exec(QString("PRAGMA table_xinfo(%1)").arg(table.name)))
            while (q.next())
                if (q.value(6).toInt() == 0) columns << q.value(1).toString(); // no generated ones
        for (const QString& column : table.columns)
            if (!columns.contains(column)) return damaged(path, words("its table of %1s has no %2").arg(table.name, column));
    }
    return Done{};
}

} // namespace

QString reasonOf(const QSqlError& error) {
    // The primary codes of SQLite (sqlite3.h); extended ones hold them in their last byte.
    switch (error.nativeErrorCode().toInt() & 0xFF) {
    case 5:
    case 6:
        return words("another program holds the file; close it there");
    case 8:
        return words("the file may only be read");
    case 10:
        return words("the disk is full or fails; make room or save elsewhere");
    case 13:
        return words("the disk is full; make room");
    case 14:
        return words("the file or its folder cannot be opened");
    default:
        return error.databaseText().isEmpty() ? error.text() : error.databaseText();
    }
}

Error campaignFailure(const QString& path, const QString& what, const QString& reason) {
    return Error{QStringLiteral("%1: %2 (%3).").arg(path, what, reason.simplified()).toStdString()};
}

Status checkCampaignFile(const QString& path) {
    const std::string name = path.toStdString();
    if (pathOf(name).native() != name)
        return campaignFailure(path, words("a campaign needs a name and folders in UTF-8; rename them"), words("the database knows no other"));
    if (const Status there = isFileToRead(name); !there) return there;
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) return campaignFailure(path, words("the campaign cannot be opened; check its permissions"), file.errorString());
    if (file.read(15) != "SQLite format 3") return campaignFailure(path, words("it is not a Caelumen campaign; choose another file"), words("unknown format"));
    if (file.size() > kLargest)
        return campaignFailure(path, words("it is too large to be a campaign; choose another file"), QString("%1 MB").arg(file.size() >> 20));
    return Done{};
}

PlaceToRead placeToRead(const QString& path) {
    if (QFile::exists(path + "-wal")) return {path, "QSQLITE_OPEN_READONLY"};
    return {QUrl::fromLocalFile(path).toString(QUrl::FullyEncoded) + "?immutable=1", "QSQLITE_OPEN_READONLY;QSQLITE_OPEN_URI"};
}

Status makeCampaignSchema(QSqlDatabase db, const QString& path) {
    QSqlQuery q(db);
    db.transaction();
    bool done = true;
    for (const Table& table : tables()) done = done && q.exec(table.sql);
    done = done && q.exec(QString("PRAGMA application_id = %1").arg(kApplicationId)) && q.exec(QString("PRAGMA user_version = %1").arg(kFormat));
    if (done && db.commit()) return Done{};
    const Error error = campaignFailure(path, words("the campaign could not be made; check the folder and the space left"), reasonOf(q.lastError()));
    db.rollback();
    return error;
}

Status writeCampaignContent(QSqlDatabase db, const QString& path, const CampaignContent& content) {
    if (Status made = makeCampaignSchema(db, path); !made) return made;
    QSqlQuery q(db);
    const auto failed = [&] { return campaignFailure(path, words("it could not be written; check the folder and the space left"), reasonOf(q.lastError())); };
    if (!q.exec("BEGIN")) return failed();
    int position = 0;
    for (const CampaignContent::Row& row : content.trials) {
        q.prepare("INSERT INTO trial (id, position, title, body, changed) VALUES (?, ?, ?, ?, ?)");
        q.addBindValue(row.id);
        q.addBindValue(++position);
        for (const QString& text : {row.title, row.body, row.changed}) q.addBindValue(text);
        if (!q.exec()) return failed();
    }
    for (const auto& [key, value] : content.settings) {
        q.prepare("INSERT INTO setting (key, value) VALUES (?, ?)");
        q.addBindValue(key);
        q.addBindValue(value);
        if (!q.exec()) return failed();
    }
    return q.exec("COMMIT") ? Status(Done{}) : Status(failed());
}

Status checkCampaignShape(QSqlDatabase db, const QString& path) {
    QSqlQuery q(db);
    q.exec("PRAGMA trusted_schema = OFF");
    const QVariant id = ask(q, "PRAGMA application_id");
    if (!id.isValid()) return damaged(path, reasonOf(q.lastError()));
    if (id.toInt() != kApplicationId)
        return campaignFailure(path, words("it is not a Caelumen campaign, or it is damaged; choose another file"), words("unknown content"));
    const int version = ask(q, "PRAGMA user_version").toInt();
    if (version > kFormat)
        return campaignFailure(path, words("it was written by a newer version; update the program to open it"), QString("format %1").arg(version));
    return checkTables(q, path);
}

Status checkCampaignSizes(QSqlDatabase db, const QString& path) {
    QSqlQuery q(db);
    if (ask(q, "SELECT COUNT(*) FROM trial").toLongLong() > kMostTrials) return damaged(path, words("it claims more trials than can be"));
    for (const auto& [column, from] : {std::pair{"title", "trial"}, {"body", "trial"}, {"key", "setting"}, {"value", "setting"}}) {
        if (ask(q, QString("SELECT MAX(LENGTH(CAST(%1 AS BLOB))) FROM %2").arg(QLatin1String(column), QLatin1String(from))).toLongLong() > kLongestText)
            return damaged(path, words("a text in it is longer than can be"));
    }
    return Done{};
}

Status checkCampaign(QSqlDatabase db, const QString& path) {
    if (Status shape = checkCampaignShape(db, path); !shape) return shape;
    if (Status sizes = checkCampaignSizes(db, path); !sizes) return sizes;
    QSqlQuery q(db);
    if (const QString found = ask(q, "PRAGMA quick_check(1)").toString(); found != "ok")
        return damaged(path, found.isEmpty() ? reasonOf(q.lastError()) : found);
    return Done{};
}

} // namespace caelumen
