#pragma once

#include <QFrame>

class QLabel;
class QPushButton;

namespace caelumen {

class Session;

/// Stays under the menus for as long as not everything is saved, or the campaign can only be read, and says why and what can be done.
class CampaignBar : public QFrame {
    Q_OBJECT

public:
    explicit CampaignBar(Session& session, QWidget* parent = nullptr);
    void refresh(); ///< what it says, in the colours of the theme
    QString sentence() const;

signals:
    void saveElsewhere();

private:
    Session& m_session;
    QLabel* m_text;
    QPushButton *m_again, *m_elsewhere, *m_takeOver;
};

} // namespace caelumen
