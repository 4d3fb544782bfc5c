#include "store/campaign.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"
#include "store/campaign_schema.h"
#include "store/database.h"
#include "store/words.h"

#include <QDateTime>
#include <QFile>
#include <QFileInfo>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <QUuid>
#include <QVariant>

#include <sys/stat.h>

namespace caelumen {
namespace {

constexpr int kPatience_ms = 300; ///< for another process in the middle of a change: saving is tried again later

std::pair<unsigned long long, unsigned long long> placeOf(const QString& path) {
    struct stat found {};
    if (::stat(QFile::encodeName(path).constData(), &found) != 0) return {0, 0};
    return {found.st_dev, found.st_ino};
}

} // namespace

Campaign::Campaign(QString path, QString connection)
    : m_path(std::move(path))
    , m_connection(std::move(connection)) {}

Campaign::~Campaign() {
    QSqlDatabase::database(m_connection, false).close();
    QSqlDatabase::removeDatabase(m_connection);
}

Status Campaign::connect(const QString& options, const QString& name) {
    QSqlDatabase db = QSqlDatabase::contains(m_connection) ? QSqlDatabase::database(m_connection, false) : QSqlDatabase::addDatabase("QSQLITE", m_connection);
    db.close();
    db.setDatabaseName(name);
    db.setConnectOptions(QString("QSQLITE_BUSY_TIMEOUT=%1").arg(kPatience_ms) + options);
    if (!db.open()) return campaignFailure(m_path, words("the campaign cannot be opened; check its permissions"), reasonOf(db.lastError()));
    m_place = placeOf(m_path);
    return Done{};
}

Result<std::unique_ptr<Campaign>> Campaign::openToRead(const QString& path, bool lookedThrough) {
    if (const Status good = checkCampaignFile(path); !good) return good.error();
    std::unique_ptr<Campaign> campaign(new Campaign(QFileInfo(path).absoluteFilePath(), QUuid::createUuid().toString()));
    const PlaceToRead place = placeToRead(campaign->m_path);
    if (const Status connected = campaign->connect(";" + place.options, place.name); !connected) return connected.error();
    campaign->readOnly(words("It was opened to be read."), false);
    const QSqlDatabase db = QSqlDatabase::database(campaign->m_connection);
    if (const Status whole = lookedThrough ? checkCampaignShape(db, path) : checkCampaign(db, path); !whole) return whole.error();
    return campaign;
}

bool Campaign::isNew(const QString& path) {
    const QFileInfo info(path);
    return !info.exists() || (info.isFile() && info.size() == 0);
}

Status Campaign::lookThrough(const QString& path) {
    if (isNew(path) || QFileInfo(path).isDir()) return Done{};
    if (const Status good = checkCampaignFile(path); !good) return good;
    const PlaceToRead place = placeToRead(QFileInfo(path).absoluteFilePath());
    const Database file(place.name, QString("QSQLITE_BUSY_TIMEOUT=%1;").arg(kPatience_ms) + place.options);
    if (!file.isOpen()) return campaignFailure(path, words("the campaign cannot be opened; check its permissions"), reasonOf(file.get().lastError()));
    return checkCampaign(file.get(), path);
}

Result<std::unique_ptr<Campaign>> Campaign::open(const QString& path, bool lookedThrough) {
    const QFileInfo info(path);
    const bool isNew = Campaign::isNew(path);
    if (info.isDir()) return campaignFailure(path, words("it is a folder; give a campaign file"), "folder");
    if (!isNew) {
        if (const Status good = checkCampaignFile(path); !good) return good.error();
        if (!info.isWritable() || !QFileInfo(info.absolutePath()).isWritable()) {
            auto read = openToRead(path, lookedThrough);
            if (read) (*read)->readOnly(words("This campaign may only be read: its file or its folder is protected. Save it elsewhere to work on it."), false);
            return read;
        }
    } else if (!QFileInfo(info.absolutePath()).isWritable()) {
        return campaignFailure(path, words("a campaign cannot be made here; choose a folder you may write to"), words("no permission"));
    }
    bool isHeld = false;
    auto lock = CampaignLock::take(info.absoluteFilePath().toStdString(), &isHeld);
    if (!lock && isNew)
        return campaignFailure(path, words("the campaign cannot be made; check the folder and the space left"), QString::fromStdString(lock.error().message));
    std::unique_ptr<Campaign> campaign(new Campaign(info.absoluteFilePath(), QUuid::createUuid().toString()));
    if (const Status connected = campaign->connect({}, campaign->m_path); !connected) return connected.error();
    QSqlDatabase db = QSqlDatabase::database(campaign->m_connection);
    if (!isNew)
        if (const Status whole = lookedThrough ? checkCampaignShape(db, path) : checkCampaign(db, path); !whole) return whole.error();
    if (!lock) {
        QSqlQuery(db).exec("PRAGMA query_only = ON");
        campaign->readOnly(QString(isHeld ? words("This campaign is open in another window (%1): here it can only be read.")
                                          : words("This campaign can only be read here: %1."))
                               .arg(QString::fromStdString(lock.error().message)),
                           isHeld);
        return campaign;
    }
    if (isNew) {
        QSqlQuery(db).exec("PRAGMA journal_mode = WAL");
        if (const Status made = makeCampaignSchema(db, path); !made) return made.error();
    }
    if (const Status claimed = campaign->claim(std::move(*lock)); !claimed) {
        if (isNew) return claimed.error();
        campaign->readOnly(words("Here it can only be read for now. %1").arg(QString::fromStdString(claimed.error().message)),
                           true); // a full disk keeps nobody from reading
        return campaign;
    }
    if (!isNew && !lookedThrough) (void)keepGoodCopy(campaign->m_path); // only a help: the campaign itself is whole
    return campaign;
}

Status Campaign::claim(CampaignLock lock) {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.exec("PRAGMA query_only = OFF");
    q.exec("PRAGMA journal_mode = WAL");
    q.exec("PRAGMA synchronous = NORMAL"); // whole whatever happens; onto the disk by toDisk, which nobody has to wait for
    q.exec("PRAGMA foreign_keys = ON");
    m_mark = QUuid::createUuid().toString(QUuid::WithoutBraces);
    q.prepare("INSERT OR REPLACE INTO setting (key, value) VALUES ('writer', ?)");
    q.addBindValue(m_mark);
    if (!q.exec()) return campaignFailure(m_path, words("the campaign cannot be written"), reasonOf(q.lastError()));
    m_lock.emplace(std::move(lock));
    m_whyReadOnly.clear();
    m_heldElsewhere = false;
    return Done{};
}

void Campaign::readOnly(const QString& why, bool heldElsewhere) {
    m_lock.reset();
    m_whyReadOnly = why;
    m_heldElsewhere = heldElsewhere;
    lookAround(); // from now on
}

Status Campaign::takeOver() {
    if (!isReadOnly()) return Done{};
    if (!m_heldElsewhere) return campaignFailure(m_path, words("it cannot be worked on here"), m_whyReadOnly);
    const std::string name = m_path.toStdString();
    auto lock = [&] {
        auto free = CampaignLock::take(name);
        return free ? std::move(free) : CampaignLock::takeOver(name);
    }();
    if (!lock) return campaignFailure(m_path, words("it cannot be taken over"), QString::fromStdString(lock.error().message));
    if (!isInPlace()) return campaignFailure(m_path, words("its file was moved or replaced; open it again"), words("another file"));
    return claim(std::move(*lock));
}

Campaign::News Campaign::lookAround() {
    News news;
    if (m_lock && !m_lock->isOurs() && isInPlace()) {
        news.lostWriting = true;
        readOnly(words("Another window has taken over this campaign: here it can only be read."), true);
    }
    QSqlQuery q(QSqlDatabase::database(m_connection, false));
    if (isReadOnly() && q.exec("PRAGMA data_version") && q.next()) {
        const qint64 version = q.value(0).toLongLong();
        news.changed = m_version != 0 && version != m_version;
        m_version = version;
    }
    return news;
}

bool Campaign::isInPlace() const {
    return placeOf(m_path) == m_place;
}

Status Campaign::change(const QString& failing, const std::function<bool(QSqlQuery&)>& work) {
    if (isReadOnly()) return campaignFailure(m_path, failing, m_whyReadOnly);
    if (!isInPlace()) return campaignFailure(m_path, failing, words("its file or folder is gone or was replaced; save it elsewhere"));
    QSqlQuery q(QSqlDatabase::database(m_connection));
    const auto giveUp = [&](const QString& reason) {
        const Error error = campaignFailure(m_path, failing, reason);
        q.exec("ROLLBACK");
        return error;
    };
    if (!q.exec("BEGIN IMMEDIATE")) return giveUp(reasonOf(q.lastError()));
    if (!q.exec("SELECT value FROM setting WHERE key = 'writer'") || !q.next()) return giveUp(reasonOf(q.lastError()));
    if (q.value(0).toString() != m_mark) {
        q.exec("ROLLBACK");
        readOnly(words("Another window has taken over this campaign: here it can only be read."), true);
        return campaignFailure(m_path, failing, words("another window has taken over"));
    }
    if (!work(q) || !q.exec("COMMIT")) return giveUp(reasonOf(q.lastError()));
    ++m_changes;
    return Done{};
}

Status Campaign::toDisk(const QString& path) {
    if (!QFile::exists(path)) return Done{}; // gone: who edits it is told so
    const Database db(path);
    QSqlQuery q(db.get());
    if (db.isOpen() && q.exec("PRAGMA wal_checkpoint(PASSIVE)")) return Done{};
    return campaignFailure(path, words("what was saved could not be brought onto the disk; save the campaign elsewhere"), reasonOf(q.lastError()));
}

Result<std::vector<Campaign::Entry>> Campaign::trials() const {
    std::vector<Entry> out;
    QSqlQuery q(QSqlDatabase::database(m_connection));
    if (!q.exec("SELECT id, title FROM trial ORDER BY position, id"))
        return campaignFailure(m_path, words("its trials cannot be read; restore it from a copy"), reasonOf(q.lastError()));
    while (q.next()) out.push_back({q.value(0).toLongLong(), q.value(1).toString()});
    return out;
}

QString Campaign::setting(const QString& key) const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("SELECT value FROM setting WHERE key = ?");
    q.addBindValue(key);
    return q.exec() && q.next() ? q.value(0).toString() : QString();
}

Status Campaign::setSetting(const QString& key, const QString& value) {
    return change(key == "subs" ? words("the decisions about the subs could not be saved") : words("a setting could not be saved"), [&](QSqlQuery& q) {
        q.prepare("INSERT OR REPLACE INTO setting (key, value) VALUES (?, ?)");
        q.addBindValue(key);
        q.addBindValue(value);
        return q.exec();
    });
}

} // namespace caelumen
