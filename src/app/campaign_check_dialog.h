#pragma once

#include "store/campaign_check.h"

#include <QDialog>

namespace caelumen {

/// What a thorough look at the campaign file found, trial by trial, and the offer to mend it.
class CampaignCheckDialog : public QDialog {
    Q_OBJECT

public:
    CampaignCheckDialog(const QString& path, const CampaignCheck& found, QWidget* parent);

    static QString summary(const CampaignCheck& found); ///< a few sentences
    static QString whatMendingDoes();

signals:
    void mendingWanted();
};

} // namespace caelumen
