#include "app/subs/sub_view.h"

#include "app/widgets/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QResizeEvent>

namespace caelumen {

SubView::SubView(QWidget* parent)
    : PictureView(parent) {
    setMinimumSize(260, 160);
    setAccessibleName(tr("The sub"));
    setCursor(Qt::OpenHandCursor);
    setToolTip(tr("Drag to look elsewhere, wheel to magnify; double-click for the whole frame"));
}

void SubView::show(const QImage& image, QPointF offset, bool flipped, const QString& sentence, const QString& caption, bool rejected) {
    const bool other = image.size() != m_image.size();
    m_image = image;
    m_offset = offset;
    m_flipped = flipped;
    m_sentence = sentence;
    m_caption = caption;
    m_rejected = rejected;
    if (other && !image.isNull()) m_whole ? fit() : lookAt(m_looked);
    update();
}

QPointF SubView::centre() const {
    const Point at = m_place.toPicture(QRectF(rect()).center());
    return {at.x - 0.5 * (m_image.width() - 1), at.y - 0.5 * (m_image.height() - 1)};
}

/// One picture pixel on one of the screen.
void SubView::lookAt(QPointF centre) {
    m_place.centre({centre.x() + 0.5 * (m_image.width() - 1), centre.y() + 0.5 * (m_image.height() - 1)}, 1 / devicePixelRatioF(), size());
    placeMoved();
}

void SubView::setFits(bool fits) {
    if (fits == m_whole) return;
    if (m_image.isNull()) { // the picture that comes is shown so
        m_whole = fits;
        emit fitChanged(m_whole);
        return;
    }
    if (!fits) return lookAt(m_looked);
    fit();
}

void SubView::placeMoved() {
    update();
    if (m_image.isNull()) return;
    if (!m_place.fitted()) m_looked = centre(); // now, while the place is for the size that the view has
    if (m_place.fitted() == m_whole) return;
    m_whole = m_place.fitted();
    emit fitChanged(m_whole);
}

/// What lies in the middle stays there.
void SubView::resizeEvent(QResizeEvent* event) {
    if (m_whole || m_image.isNull()) return PictureView::resizeEvent(event);
    const QPointF looked = m_looked; // an old size says nothing of a view that was laid out before it was shown
    m_place.centre({looked.x() + 0.5 * (m_image.width() - 1), looked.y() + 0.5 * (m_image.height() - 1)}, m_place.zoom(), event->size());
    placeMoved();
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
        p.setRenderHint(QPainter::SmoothPixmapTransform, m_place.zoom() * devicePixelRatioF() < 0.99);
        p.setTransform(m_place.transform(), true);
        p.translate(0.5 * (m_image.width() - 1), 0.5 * (m_image.height() - 1)); // the reference's middle
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
    if (e->button() != Qt::LeftButton || fits()) return;
    m_hand = Hand{e->position()};
    setCursor(Qt::ClosedHandCursor);
}

void SubView::mouseMoveEvent(QMouseEvent* e) {
    if (m_hand) moveBy(m_hand->to(e->position()));
}

void SubView::mouseReleaseEvent(QMouseEvent*) {
    m_hand.reset();
    setCursor(Qt::OpenHandCursor);
}

void SubView::mouseDoubleClickEvent(QMouseEvent*) {
    setFits(!fits());
}

} // namespace caelumen
