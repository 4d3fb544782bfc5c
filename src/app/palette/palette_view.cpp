#include "app/palette/palette_view.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace caelumen {

PaletteView::PaletteView(QWidget* parent)
    : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(360, 260);
    setAccessibleName(tr("Pictures of all filters"));
    setToolTip(tr("Click: one alone or all. Left, Right: the next. Space held: the first"));
}

void PaletteView::show(std::vector<Tile> tiles) {
    m_tiles = std::move(tiles);
    if (m_alone >= static_cast<int>(m_tiles.size())) m_alone = -1;
    update();
}

void PaletteView::setAlone(int tile) {
    if (tile < -1 || tile >= static_cast<int>(m_tiles.size()) || tile == m_alone) return;
    m_alone = tile;
    update();
    emit aloneChanged(tile);
}

QRectF PaletteView::placeOf(int tile) const {
    if (m_alone >= 0) return tile == m_alone ? QRectF(rect()) : QRectF();
    const int n = static_cast<int>(m_tiles.size());
    if (n == 0) return {};
    // As many columns as make the pictures largest.
    int columns = 1;
    double best = 0;
    for (int c = 1; c <= n; ++c) {
        const int rows = (n + c - 1) / c;
        const double w = static_cast<double>(width()) / c, h = static_cast<double>(height()) / rows - 40, size = std::min(w, 1.5 * h);
        if (size > best) best = size, columns = c;
    }
    const int rows = (n + columns - 1) / columns;
    const double w = static_cast<double>(width()) / columns, h = static_cast<double>(height()) / rows;
    return {(tile % columns) * w, (tile / columns) * h, w, h};
}

void PaletteView::paintTile(QPainter& p, const Tile& tile, const QRectF& place) const {
    const Theme& t = theme();
    const double line = 1.5 * fontInfo().pixelSize();
    const QRectF room = place.adjusted(6, 4, -6, -2 * line - 4);
    QRectF picture = room;
    if (!tile.image.isNull()) {
        const QSizeF size = QSizeF(tile.image.size()).scaled(room.size(), Qt::KeepAspectRatio);
        picture = QRectF(QPointF(room.center().x() - size.width() / 2, room.top()), size);
        p.setRenderHint(QPainter::SmoothPixmapTransform);
        p.drawImage(picture, tile.image);
    } else {
        p.setPen(t.dim);
        p.drawText(room.adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap, tile.under);
    }
    QFont bold = p.font();
    bold.setBold(true);
    p.setFont(bold);
    p.setPen(t.text);
    p.drawText(QRectF(picture.left(), picture.bottom() + 2, picture.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetricsF(bold).elidedText(tile.name, Qt::ElideRight, picture.width()));
    bold.setBold(false);
    p.setFont(bold);
    if (tile.image.isNull()) return;
    p.setPen(t.dim);
    p.drawText(QRectF(picture.left(), picture.bottom() + 2 + line, picture.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetricsF(bold).elidedText(tile.under, Qt::ElideRight, picture.width()));
}

void PaletteView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().plot);
    for (int i = 0; i < static_cast<int>(m_tiles.size()); ++i)
        if (const QRectF place = placeOf(i); !place.isEmpty()) paintTile(p, m_tiles[static_cast<std::size_t>(m_alone >= 0 && m_first ? 0 : i)], place);
    if (m_tiles.empty()) {
        p.setPen(theme().dim);
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Pictures are made of a trial's stacks. Drop stacked frames on the window, or open a campaign."));
    }
    if (hasFocus()) {
        p.setPen(theme().accent);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PaletteView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    if (m_alone >= 0) return setAlone(-1);
    for (int i = 0; i < static_cast<int>(m_tiles.size()); ++i)
        if (placeOf(i).contains(event->position())) return setAlone(i);
}

void PaletteView::keyPressEvent(QKeyEvent* event) {
    const int n = static_cast<int>(m_tiles.size());
    if (n == 0) return QWidget::keyPressEvent(event);
    const int digit = event->key() - Qt::Key_1;
    if (event->key() == Qt::Key_Right)
        setAlone((m_alone + 1) % n);
    else if (event->key() == Qt::Key_Left)
        setAlone(m_alone <= 0 ? n - 1 : m_alone - 1);
    else if (digit >= 0 && digit < std::min(9, n) && event->modifiers() == Qt::NoModifier)
        setAlone(digit);
    else if (event->key() == Qt::Key_Escape)
        setAlone(-1);
    else if (event->key() == Qt::Key_Space)
        m_first = true, update();
    else
        QWidget::keyPressEvent(event);
}

void PaletteView::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Space && !event->isAutoRepeat())
        m_first = false, update();
    else
        QWidget::keyReleaseEvent(event);
}

void PaletteView::focusOutEvent(QFocusEvent* event) {
    m_first = false;
    update();
    QWidget::focusOutEvent(event);
}

} // namespace caelumen
