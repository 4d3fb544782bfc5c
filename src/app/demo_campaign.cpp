#include "app/demo_campaign.h"

#include "core/simulate/demo.h"
#include "core/trial/trial_json.h"
#include "store/campaign.h"

#include <QDir>
#include <QFile>
#include <QStandardPaths>

namespace caelumen {

QString defaultDemoFolder() { return QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/demo"; }

Result<QString> demoCampaign(const QString& folder, const Job& job) {
    const QString path = folder + "/bergwind-star-circle.caelumen";
    if (QFile::exists(path)) return path;
    if (!QDir().mkpath(folder)) return Error{folder.toStdString() + " cannot be made; choose another folder for the demo."};
    if (Status made = writeDemo(folder.toStdString(), job); !made) return made.error();
    // The campaign comes last and whole: while it is missing the demo counts as not made.
    const QString part = path + ".new";
    QFile::remove(part);
    {
        auto campaign = Campaign::open(part);
        if (!campaign) return campaign.error();
        for (const SimulatedTrial& s : demoTrials()) {
            Trial trial = s.trial;
            resolveFiles(trial, folder.toStdString() + "/" + s.folder);
            if (auto added = (*campaign)->addTrial(trial); !added) return added.error();
        }
    }
    if (!QFile::rename(part, path)) return Error{path.toStdString() + " could not be written; check the folder and the space left."};
    return path;
}

} // namespace caelumen
