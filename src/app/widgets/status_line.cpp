#include "app/widgets/status_line.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

namespace caelumen {

StatusLine::StatusLine(QWidget* parent)
    : QWidget(parent)
    , m_doing(new QLabel)
    , m_pixel(new QLabel)
    , m_progress(new QProgressBar)
    , m_cancel(new QPushButton(tr("Cancel"))) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 12, 0);
    row->setSpacing(8);
    row->addStretch(1);
    row->addWidget(m_doing);
    row->addWidget(m_progress);
    row->addWidget(m_cancel);
    row->addWidget(m_pixel);
    m_pixel->setObjectName("dim");
    m_progress->setFixedSize(120, 8);
    m_progress->setTextVisible(false);
    m_progress->setAccessibleName(tr("Progress"));
    m_cancel->setFlat(true);
    m_cancel->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Ignored);
    m_quiet.setSingleShot(true);
    m_quiet.setInterval(8000);
    connect(&m_quiet, &QTimer::timeout, m_doing, &QLabel::clear);
    connect(m_cancel, &QPushButton::clicked, this, &StatusLine::cancelled);
    end();
}

/// The menu bar asks once: as wide as it may ever be.
QSize StatusLine::sizeHint() const {
    return {fontMetrics().horizontalAdvance('0') * 100, fontMetrics().height() + 8};
}

void StatusLine::begin(const QString& doing) {
    m_quiet.stop();
    m_doing->setText(doing);
    m_progress->setRange(0, 0);
    m_progress->show();
    m_cancel->show();
}

void StatusLine::progress(double part, const QString& doing) {
    m_progress->setRange(0, 1000);
    m_progress->setValue(static_cast<int>(1000 * part));
    m_doing->setText(doing);
}

void StatusLine::end() {
    m_progress->hide();
    m_cancel->hide();
    if (!m_quiet.isActive()) m_doing->clear();
}

void StatusLine::say(const QString& sentence) {
    m_doing->setText(sentence);
    m_doing->setToolTip(sentence);
    m_quiet.start();
}

void StatusLine::setPixel(const QString& text) {
    m_pixel->setText(text);
}

QString StatusLine::doing() const {
    return m_doing->text();
}

} // namespace caelumen
