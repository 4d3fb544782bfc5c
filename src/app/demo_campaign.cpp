#include "app/demo_campaign.h"

#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "core/simulate/demo.h"
#include "core/simulate/demo_subs.h"
#include "store/campaign.h"

#include <QDir>
#include <QFile>
#include <QStandardPaths>

namespace caelumen {

QString defaultDemoFolder() {
    return QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/demo";
}

Result<QString> demoCampaign(const QString& folder, const Job& job) {
    const QString path = folder + "/bergwind-star-circle.caelumen";
    if (QFile::exists(path)) return path;
    if (!QDir().mkpath(folder)) return Error{QObject::tr("%1 cannot be made; choose another folder for the demo.").arg(folder).toStdString()};
    const auto part = [&](double from, double to) {
        Job inner = job;
        inner.progress = [&job, from, to](double done, const std::string& what) { job.report(from + (to - from) * done, what); };
        return inner;
    };
    if (Status made = writeDemo(folder.toStdString(), part(0, 0.7)); !made) return made.error();
    const QString subs = folder + "/garden-subs";
    if (Status made = writeDemoSubs(subs.toStdString(), part(0.7, 1)); !made) return made.error();
    // The campaign comes last and whole: while it is missing the demo counts as not made.
    const QString fresh = path + ".new";
    QFile::remove(fresh);
    {
        auto campaign = Campaign::open(fresh);
        if (!campaign) return campaign.error();
        for (const SimulatedTrial& s : demoTrials()) {
            Trial trial = s.trial;
            resolveFiles(trial, folder.toStdString() + "/" + s.folder);
            if (auto added = (*campaign)->addTrial(trial); !added) return added.error();
        }
        const Json taken = {{"sources", {subs.toStdString()}}};
        if (Status kept = (*campaign)->setSetting("subs", QString::fromStdString(jsonText(taken))); !kept) return kept.error();
    }
    if (!QFile::rename(fresh, path)) return Error{QObject::tr("%1 could not be written; check the folder and the space left.").arg(path).toStdString()};
    return path;
}

} // namespace caelumen
