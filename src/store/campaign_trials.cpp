#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"
#include "store/campaign.h"
#include "store/campaign_schema.h"
#include "store/trial_paths.h"
#include "store/words.h"

#include <QDateTime>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <QVariant>

namespace caelumen {

Result<Trial> Campaign::trial(qint64 id) const {
    QSqlQuery q(QSqlDatabase::database(m_connection));
    q.prepare("SELECT title, body FROM trial WHERE id = ?");
    q.addBindValue(id);
    if (!q.exec() || !q.next()) return campaignFailure(m_path, words("the trial is not in the campaign any more"), reasonOf(q.lastError()));
    const QString body = q.value(1).toString();
    if (const auto known = m_parsed.find(id); known != m_parsed.end() && known->second.body == body) return absolutePaths(known->second.trial, m_path);
    const std::string name = QString("%1, trial \"%2\"").arg(m_path, q.value(0).toString()).toStdString();
    const auto json = parseJson(body.toStdString(), name);
    if (!json) return json.error();
    auto trial = trialFromJson(*json, name);
    if (!trial) return trial;
    m_parsed[id] = {body, *trial};
    return absolutePaths(std::move(*trial), m_path);
}

Result<qint64> Campaign::addTrial(const Trial& trial) {
    qint64 id = 0;
    const Status added = change(words("the trial \"%1\" could not be added").arg(QString::fromStdString(trial.title)), [&](QSqlQuery& q) {
        q.prepare("INSERT INTO trial (position, title, body, changed) VALUES ((SELECT COALESCE(MAX(position), 0) + 1 FROM trial), ?, ?, ?)");
        q.addBindValue(QString::fromStdString(trial.title));
        q.addBindValue(bodyOf(trial, m_path));
        q.addBindValue(QDateTime::currentDateTimeUtc().toString(Qt::ISODate));
        if (!q.exec()) return false;
        id = q.lastInsertId().toLongLong();
        return true;
    });
    if (!added) return added.error();
    return id;
}

Status Campaign::saveTrial(qint64 id, const Trial& trial) {
    bool isThere = true;
    const Status saved = change(words("the change of \"%1\" could not be saved").arg(QString::fromStdString(trial.title)), [&](QSqlQuery& q) {
        q.prepare("UPDATE trial SET title = ?, body = ?, changed = ? WHERE id = ?");
        q.addBindValue(QString::fromStdString(trial.title));
        q.addBindValue(bodyOf(trial, m_path));
        q.addBindValue(QDateTime::currentDateTimeUtc().toString(Qt::ISODate));
        q.addBindValue(id);
        if (!q.exec()) return false;
        isThere = q.numRowsAffected() == 1;
        return true;
    });
    if (saved && !isThere) return campaignFailure(m_path, words("the trial is not in the campaign any more"), "removed");
    return saved;
}

Status Campaign::removeTrial(qint64 id) {
    return change(words("the trial could not be removed"), [&](QSqlQuery& q) {
        q.prepare("DELETE FROM trial WHERE id = ?");
        q.addBindValue(id);
        m_parsed.erase(id);
        return q.exec();
    });
}

} // namespace caelumen
