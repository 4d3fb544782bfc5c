#include "store/campaign_check.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"
#include "store/campaign.h"
#include "store/campaign_schema.h"
#include "store/database.h"
#include "store/trial_paths.h"
#include "store/words.h"

#include <QFileInfo>
#include <QSqlQuery>
#include <QVariant>

#include <algorithm>
#include <map>
#include <set>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

using Row = CampaignContent::Row;

/// As much of a campaign file as can be read.
struct Readable : CampaignContent {
    QString damage;
};

Readable readAll(const QString& path) {
    Readable out;
    const auto damaged = [&](const QString& why) {
        if (out.damage.isEmpty()) out.damage = QString::fromStdString(campaignFailure(path, words("the campaign is damaged"), why).message);
    };
    if (const Status good = checkCampaignFile(path); !good) {
        out.damage = QString::fromStdString(good.error().message);
        return out;
    }
    const PlaceToRead place = placeToRead(QFileInfo(path).absoluteFilePath());
    const Database file(place.name, place.options);
    if (!file.isOpen()) {
        damaged(words("it cannot be opened"));
        return out;
    }
    for (const auto check : {checkCampaignShape, checkCampaignSizes})
        if (const Status good = check(file.get(), path); !good) {
            out.damage = QString::fromStdString(good.error().message);
            return out;
        }
    QSqlQuery q(file.get());
    q.setForwardOnly(true);
    if (q.exec("PRAGMA integrity_check(100)")) { // every page and every index, not only the pages' edges
        int faults = 0;
        while (q.next())
            if (const QString said = q.value(0).toString(); said != "ok") faults += static_cast<int>(said.count('\n')) + 1;
        if (faults > 0) damaged(words("faults in its pages: %1").arg(faults));
    } else {
        damaged(reasonOf(q.lastError()));
    }
    std::set<qint64> seen;
    const auto take = [&](const QString& order) { // a damaged index or page ends one way through the rows, not the other
        if (!q.exec("SELECT id, title, body, changed, position FROM trial ORDER BY " + order)) return damaged(reasonOf(q.lastError()));
        while (q.next())
            if (const qint64 id = q.value(0).toLongLong(); seen.insert(id).second)
                out.trials.push_back({id, q.value(1).toString(), q.value(2).toString(), q.value(3).toString()});
        if (q.lastError().isValid()) damaged(reasonOf(q.lastError()));
    };
    take("position, id");
    if (!out.damage.isEmpty()) {
        take("rowid");
        take("rowid DESC");
    }
    if (q.exec("SELECT key, value FROM setting WHERE key <> 'writer'"))
        while (q.next()) out.settings[q.value(0).toString()] = q.value(1).toString();
    return out;
}

Result<Trial> trialOf(const Row& row, const QString& path) {
    const std::string name = QString("%1, trial \"%2\"").arg(path, row.title).toStdString();
    const auto json = parseJson(row.body.toStdString(), name);
    if (!json) return json.error();
    auto trial = trialFromJson(*json, name);
    if (!trial) return trial;
    return absolutePaths(std::move(*trial), path);
}

const Row* find(const Readable& in, qint64 id, const QString& path) {
    const auto it = std::find_if(in.trials.begin(), in.trials.end(), [&](const Row& r) { return r.id == id; });
    return it != in.trials.end() && trialOf(*it, path) ? &*it : nullptr;
}

/// The last good copy, where it is good.
Readable copyOf(const QString& path, QString& name) {
    name = Campaign::lastGoodCopy(path);
    if (name.isEmpty()) return {};
    Readable copy = readAll(name);
    if (!copy.damage.isEmpty()) name.clear();
    return copy.damage.isEmpty() ? copy : Readable{};
}

bool holds(const Readable& in, qint64 id) {
    return std::any_of(in.trials.begin(), in.trials.end(), [&](const Row& r) { return r.id == id; });
}

} // namespace

bool CampaignCheck::isWhole() const {
    return damage.isEmpty() && std::all_of(trials.begin(), trials.end(), [](const TrialCheck& t) { return t.problem.isEmpty(); });
}

bool CampaignCheck::canBeMended() const {
    if (isWhole()) return false;
    return onlyInCopy > 0 || std::any_of(trials.begin(), trials.end(), [](const TrialCheck& t) { return t.problem.isEmpty() || t.inCopy; });
}

CampaignCheck checkCampaignWhole(const QString& path) {
    CampaignCheck out;
    const Readable file = readAll(path);
    const Readable copy = copyOf(path, out.copy);
    if (!out.copy.isEmpty()) out.copied = QFileInfo(out.copy).lastModified();
    out.damage = file.damage;
    for (const Row& row : file.trials) {
        CampaignCheck::TrialCheck t;
        t.title = row.title;
        const auto trial = trialOf(row, path);
        if (trial) {
            for (const fs::path& f : filesOf(*trial, fs::path(QFileInfo(path).absolutePath().toStdString())))
                if (std::error_code failed; !fs::exists(f, failed)) t.gone << QString::fromStdString(shown(f));
        } else {
            t.problem = QString::fromStdString(trial.error().message);
            t.inCopy = find(copy, row.id, out.copy) != nullptr;
        }
        out.trials.push_back(std::move(t));
    }
    if (!out.damage.isEmpty())
        out.onlyInCopy = static_cast<int>(std::count_if(copy.trials.begin(), copy.trials.end(), [&](const Row& r) { return !holds(file, r.id); }));
    return out;
}

Result<QString> mendCampaign(const QString& path) {
    QString copyName;
    Readable file = readAll(path);
    const Readable copy = copyOf(path, copyName);
    std::vector<Row> kept;
    for (const Row& row : file.trials) {
        if (trialOf(row, path)) {
            kept.push_back(row);
        } else if (const Row* older = find(copy, row.id, copyName)) {
            kept.push_back(*older);
        }
    }
    if (!file.damage.isEmpty()) // what a whole file does not hold was taken out on purpose
        for (const Row& row : copy.trials)
            if (!holds(file, row.id) && trialOf(row, copyName)) kept.push_back(row);
    if (kept.empty()) return campaignFailure(path, words("nothing in it can be read, and no good copy of it is there"), words("nothing to mend it from"));
    if (file.settings.empty()) file.settings = copy.settings;
    const QFileInfo info(path);
    QString fresh;
    for (int n = 1; fresh.isEmpty() || QFileInfo::exists(fresh); ++n)
        fresh = info.absolutePath() + "/" + info.completeBaseName() + (n == 1 ? QString(" mended") : QString(" mended %1").arg(n)) + ".caelumen";
    const Status written = writeThrough(fresh.toStdString(), [&](const fs::path& part) -> Status {
        const Database db(QString::fromStdString(part.native()));
        return writeCampaignContent(db.get(), fresh, {kept, file.settings}); // names in it are relative to the folder, which is the same
    });
    if (!written) return written.error();
    return fresh;
}

} // namespace caelumen
