#include "store/log_store.h"

#include "core/base/json.h"
#include "store/campaign_schema.h"

#include <QDir>
#include <QFileInfo>
#include <QSet>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QStandardPaths>
#include <QUuid>
#include <QVariant>

#include <utility>

namespace caelumen {
namespace {

constexpr int kFormat = 1;
constexpr int kApplicationId = 0x4361654c; // "CaeL"

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

std::string plain(const QVariant& v) {
    return v.toString().toStdString();
}

QStringList schema() {
    QStringList fields;
    for (const char* f : logFields()) fields << f;
    return {
        "CREATE TABLE entry (id INTEGER PRIMARY KEY, uid TEXT NOT NULL UNIQUE, campaign TEXT NOT NULL, night TEXT NOT NULL, body TEXT NOT NULL, "
        "tags TEXT NOT NULL DEFAULT '', notes TEXT NOT NULL DEFAULT '')",
        "CREATE INDEX entry_campaign ON entry (campaign)",
        "CREATE VIRTUAL TABLE entry_text USING fts5(" + fields.join(", ") + ", tokenize = 'unicode61 remove_diacritics 2')",
        "CREATE TABLE search (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, query TEXT NOT NULL)",
        "CREATE TABLE event (id INTEGER PRIMARY KEY, is_rig INTEGER NOT NULL, name TEXT NOT NULL, date TEXT NOT NULL, what TEXT NOT NULL, note TEXT NOT NULL, "
        "photo TEXT NOT NULL)",
        "CREATE TABLE answer (id INTEGER PRIMARY KEY, kind TEXT NOT NULL, date TEXT NOT NULL, answer REAL NOT NULL, truth REAL NOT NULL, correct INTEGER NOT "
        "NULL)",
        QString("PRAGMA application_id = %1").arg(kApplicationId),
        QString("PRAGMA user_version = %1").arg(kFormat)};
}

bool index(QSqlQuery& q, qint64 row, const LogEntry& e) {
    QStringList fields, places;
    for (const char* f : logFields()) fields << f, places << "?";
    q.prepare("DELETE FROM entry_text WHERE rowid = ?");
    q.addBindValue(row);
    if (!q.exec()) return false;
    q.prepare("INSERT INTO entry_text (rowid, " + fields.join(", ") + ") VALUES (?, " + places.join(", ") + ")");
    q.addBindValue(row);
    for (const char* f : logFields()) q.addBindValue(text(logText(e, f)));
    return q.exec();
}

/// What the program knows of a run; what a person wrote of it stands in columns of its own.
QString bodyOf(LogEntry e) {
    e.tags.clear(), e.notes.clear();
    return text(jsonText(logEntryToJson(e)));
}

} // namespace

LogStore::LogStore(QString path, QString connection)
    : m_path(std::move(path))
    , m_connection(std::move(connection)) {}

LogStore::~LogStore() {
    QSqlDatabase::database(m_connection, false).close();
    QSqlDatabase::removeDatabase(m_connection);
}

QString LogStore::defaultPath() {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/log.sqlite";
}

Result<std::unique_ptr<LogStore>> LogStore::open(const QString& path) {
    QDir().mkpath(QFileInfo(path).path());
    const QString connection = "log-" + QUuid::createUuid().toString(QUuid::WithoutBraces);
    std::unique_ptr<LogStore> out(new LogStore(path, connection));
    QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", connection);
    db.setDatabaseName(path);
    db.setConnectOptions("QSQLITE_BUSY_TIMEOUT=5000");
    if (!db.open()) return campaignFailure(path, "the log cannot be opened; check its folder", reasonOf(db.lastError()));
    QSqlQuery q(db);
    const auto number = [&](const char* question) { return q.exec(question) && q.next() ? q.value(0).toInt() : -1; };
    const int id = number("PRAGMA application_id"), version = number("PRAGMA user_version");
    if (id < 0) return campaignFailure(path, "the log is damaged; move the file away to begin a new one", reasonOf(q.lastError()));
    if (id == 0 && number("SELECT COUNT(*) FROM sqlite_master") == 0) {
        q.exec("PRAGMA journal_mode = WAL");
        q.exec("BEGIN IMMEDIATE");
        // Another window may have been faster.
        if (number("SELECT COUNT(*) FROM sqlite_master") == 0)
            for (const QString& statement : schema())
                if (!q.exec(statement)) {
                    const Error why = campaignFailure(path, "the log could not be made; check the folder and the space left", reasonOf(q.lastError()));
                    q.exec("ROLLBACK");
                    return why;
                }
        q.exec("COMMIT");
        return out;
    }
    if (id != kApplicationId) return campaignFailure(path, "it is not a log of Caelumen; move the file away to begin a new one", "unknown content");
    if (version > kFormat) return campaignFailure(path, "the log was written by a newer version; update the program", QString("format %1").arg(version));
    return out;
}

Error LogStore::failure(const QSqlQuery& q, const char* what) const {
    return campaignFailure(m_path, what, reasonOf(q.lastError()));
}

Status LogStore::change(const std::function<bool(QSqlQuery&)>& work) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    if (!q.exec("BEGIN IMMEDIATE")) return failure(q, "the log could not be written");
    if (work(q)) {
        QSqlQuery end(QSqlDatabase::database(m_connection));
        if (end.exec("COMMIT")) return Done{};
        q = std::move(end);
    }
    const Error why = failure(q, "the log could not be written");
    QSqlQuery(QSqlDatabase::database(m_connection)).exec("ROLLBACK");
    return why;
}

Result<std::vector<LogEntry>> LogStore::entries() const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.setForwardOnly(true);
    if (!q.exec("SELECT body, tags, notes FROM entry ORDER BY night DESC, uid")) return failure(q, "the log cannot be read");
    std::vector<LogEntry> out;
    while (q.next()) {
        const auto json = parseJson(plain(q.value(0)), "the log");
        auto entry = json ? logEntryFromJson(*json, "the log") : Result<LogEntry>(json.error());
        if (!entry) continue; // one bad row costs itself only
        entry->tags = plain(q.value(1)), entry->notes = plain(q.value(2));
        out.push_back(std::move(*entry));
    }
    return out;
}

Status LogStore::put(const std::vector<LogEntry>& entries, const std::string& wholeCampaign) {
    return change([&](QSqlQuery& q) {
        QSqlQuery ask(QSqlDatabase::database(m_connection));
        QSet<QString> kept;
        for (LogEntry e : entries) {
            kept << text(e.uid);
            ask.prepare("SELECT id, tags, notes, body FROM entry WHERE uid = ?");
            ask.addBindValue(text(e.uid));
            const bool known = ask.exec() && ask.next();
            const QString body = bodyOf(e);
            if (known) {
                if (ask.value(3).toString() == body) continue; // nothing new
                e.tags = plain(ask.value(1)), e.notes = plain(ask.value(2));
                const qint64 row = ask.value(0).toLongLong();
                q.prepare("UPDATE entry SET campaign = ?, night = ?, body = ? WHERE id = ?");
                q.addBindValue(text(e.campaign)), q.addBindValue(text(e.night)), q.addBindValue(body), q.addBindValue(row);
                if (!q.exec() || !index(q, row, e)) return false;
                continue;
            }
            q.prepare("INSERT INTO entry (uid, campaign, night, body, tags, notes) VALUES (?, ?, ?, ?, ?, ?)");
            q.addBindValue(text(e.uid)), q.addBindValue(text(e.campaign)), q.addBindValue(text(e.night)), q.addBindValue(body);
            q.addBindValue(text(e.tags)), q.addBindValue(text(e.notes));
            if (!q.exec() || !index(q, q.lastInsertId().toLongLong(), e)) return false;
        }
        if (wholeCampaign.empty()) return true;
        ask.prepare("SELECT id, uid FROM entry WHERE campaign = ?");
        ask.addBindValue(text(wholeCampaign));
        if (!ask.exec()) return false;
        QList<qint64> gone;
        while (ask.next())
            if (!kept.contains(ask.value(1).toString())) gone << ask.value(0).toLongLong();
        for (const qint64 row : gone)
            for (const char* statement : {"DELETE FROM entry WHERE id = ?", "DELETE FROM entry_text WHERE rowid = ?"}) {
                q.prepare(statement);
                q.addBindValue(row);
                if (!q.exec()) return false;
            }
        return true;
    });
}

Status LogStore::rename(const std::string& campaign, const std::string& to) {
    return change([&](QSqlQuery& q) {
        QSqlQuery ask(QSqlDatabase::database(m_connection));
        ask.prepare("SELECT id, body FROM entry WHERE campaign = ?");
        ask.addBindValue(text(campaign));
        if (!ask.exec()) return false;
        while (ask.next()) {
            const auto json = parseJson(plain(ask.value(1)), "the log");
            auto entry = json ? logEntryFromJson(*json, "the log") : Result<LogEntry>(json.error());
            if (!entry) continue;
            entry->campaign = to;
            entry->uid = logUid(to, entry->trialId, entry->run);
            q.prepare("UPDATE OR IGNORE entry SET uid = ?, campaign = ?, body = ? WHERE id = ?");
            q.addBindValue(text(entry->uid)), q.addBindValue(text(to)), q.addBindValue(bodyOf(*entry)), q.addBindValue(ask.value(0));
            if (!q.exec()) return false;
        }
        return true;
    });
}

Status LogStore::remark(const std::string& uid, const std::string& tags, const std::string& notes) {
    return change([&](QSqlQuery& q) {
        q.prepare("SELECT id, body FROM entry WHERE uid = ?");
        q.addBindValue(text(uid));
        if (!q.exec() || !q.next()) return false;
        const qint64 row = q.value(0).toLongLong();
        const auto json = parseJson(plain(q.value(1)), "the log");
        auto entry = json ? logEntryFromJson(*json, "the log") : Result<LogEntry>(json.error());
        if (!entry) return false;
        entry->tags = tags, entry->notes = notes;
        q.prepare("UPDATE entry SET tags = ?, notes = ? WHERE id = ?");
        q.addBindValue(text(tags)), q.addBindValue(text(notes)), q.addBindValue(row);
        return q.exec() && index(q, row, *entry);
    });
}

Status LogStore::remove(const std::vector<std::string>& uids) {
    return change([&](QSqlQuery& q) {
        for (const std::string& uid : uids)
            for (const char* statement : {"DELETE FROM entry_text WHERE rowid = (SELECT id FROM entry WHERE uid = ?)", "DELETE FROM entry WHERE uid = ?"}) {
                q.prepare(statement);
                q.addBindValue(text(uid));
                if (!q.exec()) return false;
            }
        return true;
    });
}

Result<std::optional<std::vector<std::string>>> LogStore::find(const LogQuery& query) const {
    using Found = std::optional<std::vector<std::string>>;
    if (query.empty()) return Found();
    const QString with = text(matchExpression(query, false)), without = text(matchExpression(query, true));
    QString sql = "SELECT uid, night FROM entry WHERE 1";
    if (!with.isEmpty()) sql += " AND id IN (SELECT rowid FROM entry_text WHERE entry_text MATCH ?)";
    if (!without.isEmpty()) sql += " AND id NOT IN (SELECT rowid FROM entry_text WHERE entry_text MATCH ?)";
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.setForwardOnly(true);
    q.prepare(sql);
    for (const QString& e : {with, without})
        if (!e.isEmpty()) q.addBindValue(e);
    if (!q.exec()) return failure(q, "the log cannot be searched");
    std::vector<std::string> out;
    while (q.next())
        if (isWithin(query, plain(q.value(1)))) out.push_back(plain(q.value(0)));
    return Found(std::move(out));
}

Result<std::vector<SavedSearch>> LogStore::searches() const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    if (!q.exec("SELECT id, name, query FROM search ORDER BY name")) return failure(q, "the log cannot be read");
    std::vector<SavedSearch> out;
    while (q.next()) out.push_back({q.value(0).toLongLong(), plain(q.value(1)), plain(q.value(2))});
    return out;
}

Status LogStore::saveSearch(const std::string& name, const std::string& query) {
    return change([&](QSqlQuery& q) {
        q.prepare("INSERT INTO search (name, query) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET query = excluded.query");
        q.addBindValue(text(name)), q.addBindValue(text(query));
        return q.exec();
    });
}

Status LogStore::removeSearch(qint64 id) {
    return change([&](QSqlQuery& q) {
        q.prepare("DELETE FROM search WHERE id = ?");
        q.addBindValue(id);
        return q.exec();
    });
}

Result<std::vector<EquipmentEvent>> LogStore::events() const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    if (!q.exec("SELECT id, is_rig, name, date, what, note, photo FROM event ORDER BY is_rig, name, date, id")) return failure(q, "the log cannot be read");
    std::vector<EquipmentEvent> out;
    while (q.next())
        out.push_back(
            {q.value(0).toLongLong(), q.value(1).toBool(), plain(q.value(2)), plain(q.value(3)), plain(q.value(4)), plain(q.value(5)), plain(q.value(6))});
    return out;
}

Status LogStore::saveEvent(const EquipmentEvent& e) {
    return change([&](QSqlQuery& q) {
        q.prepare(e.id == 0 ? "INSERT INTO event (is_rig, name, date, what, note, photo) VALUES (?, ?, ?, ?, ?, ?)"
                            : "UPDATE event SET is_rig = ?, name = ?, date = ?, what = ?, note = ?, photo = ? WHERE id = ?");
        q.addBindValue(e.isRig ? 1 : 0);
        for (const std::string* s : {&e.name, &e.date, &e.what, &e.note, &e.photo}) q.addBindValue(text(*s).isNull() ? QString("") : text(*s));
        if (e.id != 0) q.addBindValue(e.id);
        return q.exec();
    });
}

Status LogStore::removeEvent(qint64 id) {
    return change([&](QSqlQuery& q) {
        q.prepare("DELETE FROM event WHERE id = ?");
        q.addBindValue(id);
        return q.exec();
    });
}

Result<std::vector<PracticeAnswer>> LogStore::answers() const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    if (!q.exec("SELECT id, kind, date, answer, truth, correct FROM answer ORDER BY date, id")) return failure(q, "the log cannot be read");
    std::vector<PracticeAnswer> out;
    while (q.next())
        out.push_back({q.value(0).toLongLong(), plain(q.value(1)), plain(q.value(2)), q.value(3).toDouble(), q.value(4).toDouble(), q.value(5).toBool()});
    return out;
}

Status LogStore::addAnswer(const PracticeAnswer& a) {
    return change([&](QSqlQuery& q) {
        q.prepare("INSERT INTO answer (kind, date, answer, truth, correct) VALUES (?, ?, ?, ?, ?)");
        q.addBindValue(text(a.kind)), q.addBindValue(text(a.date)), q.addBindValue(a.answer), q.addBindValue(a.truth), q.addBindValue(a.right ? 1 : 0);
        return q.exec();
    });
}

qint64 LogStore::version() const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    return q.exec("PRAGMA data_version") && q.next() ? q.value(0).toLongLong() : 0;
}

} // namespace caelumen
