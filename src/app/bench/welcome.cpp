#include "app/bench/welcome.h"

#include "app/widgets/form_fields.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace caelumen {

Welcome::Welcome(QWidget* parent)
    : QWidget(parent)
    , m_recent(new QWidget)
    , m_rows(new QVBoxLayout(m_recent)) {
    auto* column = new QVBoxLayout(this);
    column->addStretch(2);
    auto* invitation = new QLabel(tr("Drop two or more stacked frames here to compare filters."));
    invitation->setStyleSheet("font-size: 16px;");
    auto* hint =
        new QLabel(tr("FITS or TIFF, one frame for each filter. Filters, baseline and regions are guessed and can be corrected; the files are only read."));
    hint->setObjectName("dim");
    for (QLabel* l : {invitation, hint}) {
        l->setAlignment(Qt::AlignCenter);
        l->setWordWrap(true);
        column->addWidget(l);
    }
    column->addSpacing(14);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    const auto offer = [&](const QString& text, auto signal) {
        auto* button = new QPushButton(text);
        row->addWidget(button);
        connect(button, &QPushButton::clicked, this, signal);
    };
    offer(tr("Choose frames \u2026"), &Welcome::framesWanted);
    offer(tr("Open a campaign \u2026"), [this] { emit campaignWanted({}); });
    offer(tr("New campaign \u2026"), &Welcome::newCampaignWanted);
    offer(tr("Look at the demo"), &Welcome::demoWanted);
    row->addStretch(1);
    column->addLayout(row);
    column->addSpacing(14);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(2);
    column->addWidget(m_recent, 0, Qt::AlignHCenter);
    column->addStretch(3);
}

void Welcome::setRecent(const QStringList& campaigns) {
    while (QLayoutItem* item = m_rows->takeAt(0)) {
        if (QWidget* row = item->widget()) { // it may be the one that was just pressed
            row->hide();
            row->deleteLater();
        }
        delete item;
    }
    m_recent->setVisible(!campaigns.isEmpty());
    if (campaigns.isEmpty()) return;
    m_rows->addWidget(headingLabel(tr("Lately")));
    constexpr int kMost = 5;
    for (const QString& path : campaigns.mid(0, kMost)) {
        auto* button = new QPushButton(QFileInfo(path).completeBaseName());
        button->setToolTip(path);
        button->setFlat(true);
        button->setStyleSheet("text-align: left;");
        m_rows->addWidget(button);
        connect(button, &QPushButton::clicked, this, [this, path] { emit campaignWanted(path); });
    }
}

} // namespace caelumen
