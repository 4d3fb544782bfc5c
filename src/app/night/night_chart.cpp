#include "app/night/night_chart.h"

#include "app/night/night_drawing.h"
#include "app/night/night_model.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace caelumen {

NightChart::NightChart(NightModel& model, QWidget* parent)
    : QWidget(parent)
    , m_model(model) {
    setMinimumSize(420, 300);
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("The night"));
    connect(&model, &NightModel::changed, this, qOverload<>(&QWidget::update));
    connect(&model, &NightModel::blocksChanged, this, qOverload<>(&QWidget::update));
}

double NightChart::xOf(double second) const {
    return nightLayout(m_model, rect()).x(second);
}

double NightChart::secondAt(double x) const {
    return nightLayout(m_model, rect()).second(x);
}

QRectF NightChart::blockRect(int index) const {
    const PlanBlock& b = m_model.plan().blocks[static_cast<std::size_t>(index)];
    const NightLayout l = nightLayout(m_model, rect());
    const double a = l.x(b.start_s), z = l.x(blockEnd(m_model.plan(), b));
    return {a, l.blocks.top(), std::max(3.0, z - a), l.blocks.height()};
}

void NightChart::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().plot);
    paintOn(p, rect(), theme());
}

void NightChart::paintOn(QPainter& p, const QRectF& where, const Theme& t) const {
    p.setRenderHint(QPainter::Antialiasing);
    QFont font = p.font();
    font.setPixelSize(letters(12));
    p.setFont(font);
    if (!m_model.ready()) {
        p.setPen(t.dim);
        p.drawText(where.adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, m_model.problem());
        return;
    }
    drawNight(p, m_model, nightLayout(m_model, where), t, m_chosen);
}

int NightChart::blockAt(QPointF at) const {
    if (!m_model.ready()) return -1;
    for (int i = 0; i < static_cast<int>(m_model.plan().blocks.size()); ++i)
        if (blockRect(i).contains(at)) return i;
    return -1;
}

void NightChart::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    m_held = m_chosen = blockAt(e->position());
    m_hand = Hand{e->position()};
    if (m_held >= 0) m_grip = secondAt(e->position().x()) - m_model.plan().blocks[static_cast<std::size_t>(m_held)].start_s;
    update();
}

void NightChart::mouseMoveEvent(QMouseEvent* e) {
    if (m_held < 0 || !m_hand) {
        setCursor(blockAt(e->position()) >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
        return;
    }
    setCursor(Qt::ClosedHandCursor);
    m_hand->to(e->position());
    if (!m_hand->moved) return;
    m_model.moveBlock(m_held, 60 * std::round((secondAt(e->position().x()) - m_grip) / 60), false);
}

void NightChart::mouseReleaseEvent(QMouseEvent* e) {
    if (m_held < 0) return;
    const int held = m_held;
    m_held = -1;
    const double start = 60 * std::round((secondAt(e->position().x()) - m_grip) / 60);
    if (m_hand && m_hand->moved) m_chosen = m_model.moveBlock(held, start, true);
    update();
    m_hand.reset();
    setCursor(Qt::ArrowCursor);
}

void NightChart::keyPressEvent(QKeyEvent* e) {
    const int count = m_model.ready() ? static_cast<int>(m_model.plan().blocks.size()) : 0;
    const int step = e->key() == Qt::Key_Left ? -1 : e->key() == Qt::Key_Right ? 1 : 0;
    if (count == 0 || step == 0) return QWidget::keyPressEvent(e);
    if (e->modifiers() & Qt::ShiftModifier) {
        if (m_chosen >= 0 && m_chosen < count)
            m_chosen = m_model.moveBlock(m_chosen, m_model.plan().blocks[static_cast<std::size_t>(m_chosen)].start_s + 60 * step, true);
    } else {
        m_chosen = std::clamp(m_chosen < 0 ? 0 : m_chosen + step, 0, count - 1);
    }
    update();
}

bool NightChart::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && m_model.ready()) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int i = blockAt(help->pos());
        const double s = secondAt(help->pos().x());
        if (i >= 0) {
            const PlanBlock& b = m_model.plan().blocks[static_cast<std::size_t>(i)];
            const Filter* f = m_model.trial().filter(b.filter);
            QToolTip::showText(help->globalPos(),
                               tr("%1\n%2 to %3, %4 subs of %5 s\nDrag it, or Shift with Left and Right: one minute")
                                   .arg(QString::fromStdString(f ? f->name : b.filter), m_model.timeAt(b.start_s).toString("HH:mm"),
                                        m_model.timeAt(blockEnd(m_model.plan(), b)).toString("HH:mm"))
                                   .arg(b.subs)
                                   .arg(b.exposure_s),
                               this);
        } else if (s > 0 && s < NightTrack::kLength) {
            const SkyMoment m = m_model.track().at(s);
            QToolTip::showText(help->globalPos(),
                               tr("%1: target at %2\u00B0%3, moon at %4\u00B0 and %5\u00B0 away, sun at %6\u00B0")
                                   .arg(m_model.timeAt(s).toString("HH:mm"))
                                   .arg(localNumber(m.target->alt_deg, 'f', 0))
                                   .arg(m.airmass ? tr(" (airmass %1)").arg(localNumber(*m.airmass, 'f', 2)) : QString())
                                   .arg(localNumber(m.moon.alt_deg, 'f', 0))
                                   .arg(localNumber(*m.moonSeparation_deg, 'f', 0))
                                   .arg(localNumber(m.sun.alt_deg, 'f', 0)),
                               this);
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen
