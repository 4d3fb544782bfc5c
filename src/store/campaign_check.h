#pragma once

#include "core/base/result.h"

#include <QDateTime>
#include <QString>
#include <QStringList>

#include <vector>

namespace caelumen {

/// What a thorough look at a campaign file found. Looking changes nothing, and needs nobody to close it.
struct CampaignCheck {
    struct TrialCheck {
        QString title;
        QString problem;     ///< one sentence; empty where it can be read
        bool inCopy = false; ///< whether the last good copy has it whole
        QStringList gone;    ///< frames and curves that are not where it says: no damage, they may be elsewhere
    };
    QString damage; ///< of the file itself, one sentence; empty where it is whole
    std::vector<TrialCheck> trials;
    int onlyInCopy = 0; ///< trials that the damaged part may have held
    QString copy;       ///< the last good copy that can be read; empty where there is none
    QDateTime copied;

    bool isWhole() const;
    bool canBeMended() const; ///< whether mendCampaign would bring anything back
};
CampaignCheck checkCampaignWhole(const QString& path);

/// Makes a campaign of its own beside it out of every trial that can still be read, and out of the last good copy for those that cannot. The file itself stays
/// as it is. The new one's name.
Result<QString> mendCampaign(const QString& path);

} // namespace caelumen
