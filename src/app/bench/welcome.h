#pragma once

#include <QWidget>

class QVBoxLayout;

namespace caelumen {

/// What the Bench offers while there is nothing on it.
class Welcome : public QWidget {
    Q_OBJECT

public:
    explicit Welcome(QWidget* parent = nullptr);
    void setRecent(const QStringList& campaigns); ///< the open one is not among them

signals:
    void framesWanted();
    void campaignWanted(const QString& path); ///< empty: to be asked for
    void newCampaignWanted();
    void demoWanted();

private:
    QWidget* m_recent;
    QVBoxLayout* m_rows;
};

} // namespace caelumen
