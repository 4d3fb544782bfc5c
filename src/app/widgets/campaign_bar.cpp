#include "app/widgets/campaign_bar.h"

#include "app/session.h"
#include "app/widgets/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace caelumen {

CampaignBar::CampaignBar(Session& session, QWidget* parent)
    : QFrame(parent)
    , m_session(session)
    , m_text(new QLabel)
    , m_again(new QPushButton(tr("Try again")))
    , m_elsewhere(new QPushButton(tr("Save elsewhere \u2026")))
    , m_takeOver(new QPushButton(tr("Work on it here"))) {
    setObjectName("campaignBar");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 5, 12, 5);
    row->addWidget(m_text, 1);
    row->addWidget(m_again);
    row->addWidget(m_takeOver);
    row->addWidget(m_elsewhere);
    m_text->setWordWrap(true);
    m_text->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_takeOver->setToolTip(tr("The other window can then only read it"));
    connect(m_again, &QPushButton::clicked, &m_session, &Session::saveAgain);
    connect(m_takeOver, &QPushButton::clicked, &m_session, &Session::takeOver);
    connect(m_elsewhere, &QPushButton::clicked, this, &CampaignBar::saveElsewhere);
    connect(&m_session, &Session::savingChanged, this, &CampaignBar::refresh);
    connect(&m_session, &Session::campaignChanged, this, &CampaignBar::refresh);
    refresh();
}

void CampaignBar::refresh() {
    const Campaign* campaign = m_session.campaign();
    const bool unsaved = !m_session.notSaved().isEmpty(), readOnly = campaign && campaign->isReadOnly();
    if (unsaved)
        m_text->setText(tr("Not saved yet: %1 The edit is kept here and is written as soon as it can be.").arg(m_session.notSaved()));
    else if (readOnly)
        m_text->setText(campaign->whyReadOnly());
    m_again->setVisible(unsaved && !readOnly);
    m_takeOver->setVisible(readOnly && campaign->isHeldElsewhere() && !unsaved);
    setStyleSheet(QString("#campaignBar { background: %1; border-bottom: 1px solid %2; } #campaignBar QLabel { color: %2; }")
                      .arg(theme().panel.name(), (unsaved ? theme().bad : theme().warn).name()));
    setVisible(unsaved || readOnly);
}

QString CampaignBar::sentence() const {
    return m_text->text();
}

} // namespace caelumen
