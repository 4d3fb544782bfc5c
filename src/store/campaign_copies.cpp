#include "core/base/file.h"
#include "core/base/text.h"
#include "store/campaign.h"
#include "store/campaign_schema.h"
#include "store/database.h"
#include "store/trial_paths.h"
#include "store/words.h"

#include <QDateTime>
#include <QFile>
#include <QFileInfo>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <QVariant>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// Brings the log of a campaign that nobody has open into its file: left beside a new file, it would be taken for the new one's.
void settle(const QString& path) {
    if (!QFile::exists(path)) return;
    const Database db(path);
    if (db.isOpen()) QSqlQuery(db.get()).exec("PRAGMA wal_checkpoint(TRUNCATE)");
}

void removeLog(const QString& path) {
    for (const char* ending : {"-wal", "-shm", "-journal"}) QFile::remove(path + ending);
}

} // namespace

Status Campaign::copyTo(const QString& path, const Unsaved& unsaved) const {
    const QString target = QFileInfo(path).absoluteFilePath();
    if (target == m_path) return campaignFailure(path, words("a copy needs another name"), words("it is the campaign itself"));
    const std::string name = target.toStdString();
    if (pathOf(name).native() != name)
        return campaignFailure(path, words("a campaign needs a name and folders in UTF-8; choose others"), words("the database knows no other"));
    const auto lock = CampaignLock::take(name);
    if (!lock)
        return campaignFailure(path, words("it cannot be replaced while it is open; close it there or choose another name"),
                               QString::fromStdString(lock.error().message));
    const auto all = trials();
    if (!all) return all.error();
    settle(target);
    CampaignContent content;
    for (const Entry& e : *all) {
        const auto changed = unsaved.trials.find(e.id);
        const auto t = changed != unsaved.trials.end() ? Result<Trial>(changed->second) : trial(e.id);
        if (!t) return t.error();
        content.trials.push_back({e.id, QString::fromStdString(t->title), bodyOf(*t, target), // names relative to the new place
                                  QDateTime::currentDateTimeUtc().toString(Qt::ISODate)});
    }
    QSqlQuery from(QSqlDatabase::database(m_connection));
    if (!from.exec("SELECT key, value FROM setting WHERE key <> 'writer'"))
        return campaignFailure(m_path, words("its settings cannot be read"), reasonOf(from.lastError()));
    while (from.next()) content.settings[from.value(0).toString()] = from.value(1).toString();
    for (const auto& [key, value] : unsaved.settings) content.settings[key] = value;
    const Status written = writeThrough(name, [&](const fs::path& part) -> Status {
        const Database db(QString::fromStdString(part.native()));
        return writeCampaignContent(db.get(), path, content);
    });
    if (written) removeLog(target);
    return written;
}

QString Campaign::lastGoodCopy(const QString& path) {
    const QString copy = QFileInfo(path).absoluteFilePath() + ".last-good";
    return QFileInfo(copy).isFile() ? copy : QString();
}

Status Campaign::keepGoodCopy(const QString& path) {
    const Database db(path);
    QSqlQuery q(db.get());
    if (!q.exec("SELECT COUNT(*) FROM trial") || !q.next()) return campaignFailure(path, words("no copy could be kept"), reasonOf(q.lastError()));
    if (q.value(0).toInt() == 0) return Done{}; // an empty campaign is no better than an older copy
    q.finish();
    return writeThrough((path + ".last-good").toStdString(), [&](const fs::path& part) -> Status {
        q.prepare("VACUUM INTO ?");
        q.addBindValue(QString::fromStdString(part.native()));
        if (!q.exec()) return campaignFailure(path, words("no copy could be kept"), reasonOf(q.lastError()));
        return Done{};
    });
}

} // namespace caelumen
