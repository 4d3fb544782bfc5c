#include "app/grid/predicted_view.h"

#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cstring>

namespace caelumen {
PredictedView::PredictedView(QWidget* parent)
    : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(320, 220);
    setAccessibleName(tr("Predicted picture"));
    setToolTip(tr("Click, or Space: the other picture"));
}

void PredictedView::show(const std::array<PredictedPicture, 2>& pictures, const QString& baseline, const QString& filter, const QString& of) {
    for (std::size_t k = 0; k < 2; ++k) {
        const PredictedPicture& p = pictures[k];
        QImage image(p.width, p.height, QImage::Format_RGB32);
        for (int y = 0; y < p.height; ++y)
            std::memcpy(image.scanLine(y), p.pixels.data() + static_cast<std::ptrdiff_t>(y) * p.width,
                        static_cast<std::size_t>(p.width) * sizeof(std::uint32_t));
        m_images[k] = image;
        m_snr[k] = p.snr;
    }
    m_names = {baseline, filter};
    m_of = of;
    m_sentence.clear();
    update();
}

void PredictedView::say(const QString& sentence) {
    m_images = {};
    m_sentence = sentence;
    update();
}

void PredictedView::flip() {
    m_baseline = !m_baseline;
    update();
}

void PredictedView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.fillRect(rect(), t.plot);
    if (!hasPictures()) {
        p.setPen(t.dim);
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, m_sentence);
        return;
    }
    const std::size_t which = m_baseline ? 0 : 1;
    const QImage image = inThemeLight(m_images[which]);
    const double line = 1.5 * fontInfo().pixelSize();
    const QSizeF room(width() - 16, height() - 3 * line - 16);
    const QSizeF size = QSizeF(image.size()).scaled(room, Qt::KeepAspectRatio);
    const QRectF place(QPointF((width() - size.width()) / 2, 8 + line), size);
    p.setRenderHint(QPainter::SmoothPixmapTransform, size.width() < image.width());
    p.drawImage(place, image);
    QFont bold = p.font();
    bold.setBold(true);
    p.setFont(bold);
    p.setPen(t.text);
    p.drawText(QRectF(place.left(), 4, place.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetricsF(bold).elidedText(m_names[which], Qt::ElideRight, 0.6 * place.width()));
    // In the picture itself, so that it goes wherever the picture goes.
    const QString mark = tr("PREDICTED");
    const QFontMetricsF metrics(bold);
    const QRectF badge(place.right() - metrics.horizontalAdvance(mark) - 18, place.top() + 6, metrics.horizontalAdvance(mark) + 12, line);
    p.fillRect(badge, t.plot);
    p.setPen(t.warn);
    p.drawRect(badge);
    p.drawText(badge, Qt::AlignCenter, mark);
    bold.setBold(false);
    p.setFont(bold);
    p.setPen(t.dim);
    p.drawText(QRectF(place.left(), place.bottom() + 3, place.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               tr("%1; S/N %2 in 10\u2033").arg(m_of).arg(localNumber(m_snr[which], 'g', 2)));
    p.drawText(QRectF(place.left(), place.bottom() + 3 + line, place.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               tr("a made-up target; each to its own sky, the target equally bright in both. Space shows the other."));
    if (hasFocus()) {
        p.setPen(t.accent);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PredictedView::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) flip();
}

void PredictedView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Space && hasPictures())
        flip();
    else
        QWidget::keyPressEvent(event);
}

} // namespace caelumen
