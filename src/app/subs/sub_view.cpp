#include "app/subs/sub_view.h"

#include "app/widgets/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace caelumen {

SubView::SubView(QWidget* parent)
    : QWidget(parent) {
    setMinimumSize(260, 160);
    setAccessibleName(tr("The sub"));
    setCursor(Qt::OpenHandCursor);
    setToolTip(tr("Drag to look elsewhere; double-click for the whole frame"));
}

void SubView::show(const QImage& image, QPointF offset, bool flipped, const QString& sentence, const QString& caption, bool rejected) {
    m_image = image;
    m_offset = offset;
    m_flipped = flipped;
    m_sentence = sentence;
    m_caption = caption;
    m_rejected = rejected;
    update();
}

void SubView::setFits(bool fit) {
    if (fit == m_fit) return;
    m_fit = fit;
    update();
    emit fitChanged(fit);
}

void SubView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.fillRect(rect(), t.plot);
    if (m_image.isNull()) {
        p.setPen(t.dim);
        p.drawText(rect().adjusted(30, 30, -30, -30), Qt::AlignCenter | Qt::TextWordWrap, m_sentence);
    } else {
        p.save();
        const double ratio = devicePixelRatioF(); // one picture pixel on one of the screen
        const QPointF middle = QRectF(rect()).center();
        const double scale = m_fit ? std::min(static_cast<double>(width()) / m_image.width(), static_cast<double>(height()) / m_image.height()) : 1 / ratio;
        p.setRenderHint(QPainter::SmoothPixmapTransform, m_fit);
        p.translate(middle);
        p.scale(scale, scale);
        if (!m_fit) p.translate(-m_centre);
        if (m_flipped) p.rotate(180);
        p.drawImage(QPointF(-0.5 * m_image.width(), -0.5 * m_image.height()) - m_offset, m_image);
        p.restore();
    }
    if (m_caption.isEmpty()) return;
    const QRectF band(0, height() - 24, width(), 24);
    QColor ground = t.window;
    ground.setAlpha(210);
    p.fillRect(band, ground);
    p.setPen(m_rejected ? t.bad : t.text);
    p.drawText(band.adjusted(10, 0, -10, 0), Qt::AlignLeft | Qt::AlignVCenter, p.fontMetrics().elidedText(m_caption, Qt::ElideRight, width() - 20));
}

void SubView::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton || m_fit) return;
    m_held = true;
    m_grip = e->position();
    setCursor(Qt::ClosedHandCursor);
}

void SubView::mouseMoveEvent(QMouseEvent* e) {
    if (!m_held) return;
    const double ratio = devicePixelRatioF();
    m_centre -= (e->position() - m_grip) * ratio;
    m_centre = {std::clamp(m_centre.x(), -0.5 * m_image.width(), 0.5 * m_image.width()),
                std::clamp(m_centre.y(), -0.5 * m_image.height(), 0.5 * m_image.height())};
    m_grip = e->position();
    update();
}

void SubView::mouseReleaseEvent(QMouseEvent*) {
    m_held = false;
    setCursor(Qt::OpenHandCursor);
}

void SubView::mouseDoubleClickEvent(QMouseEvent*) {
    setFits(!m_fit);
}

} // namespace caelumen
