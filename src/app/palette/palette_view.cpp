#include "app/palette/palette_view.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace caelumen {

PaletteView::PaletteView(Source source, QWidget* parent)
    : PictureView(parent)
    , m_source(std::move(source)) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(360, 260);
    setAccessibleName(tr("Pictures of all filters"));
    setToolTip(
        tr("Click: one alone or all. Left, Right, 1 to 9: flip. Space held: the first. C: curtain. Double click, wheel or Z: pixel by pixel; drag to move"));
}

void PaletteView::show(std::vector<Tile> tiles) {
    m_tiles = std::move(tiles);
    m_kept.clear();
    if (m_alone >= static_cast<int>(m_tiles.size())) m_alone = -1;
    if (m_behind >= static_cast<int>(m_tiles.size())) m_behind = 0;
    update();
}

void PaletteView::setAlone(int tile) {
    if (tile < -1 || tile >= static_cast<int>(m_tiles.size()) || tile == m_alone) return;
    m_alone = tile;
    if (tile < 0 && m_curtain) m_curtain = false, emit viewChanged();
    update();
    emit aloneChanged(tile);
}

void PaletteView::setCurtain(bool on) {
    if (on && m_tiles.size() < 2) on = false;
    if (on && (m_alone < 0 || m_alone == m_behind)) setAlone(m_behind == 0 ? 1 : 0);
    m_curtain = on;
    update();
    emit viewChanged();
}

void PaletteView::setZoom(Zoom zoom) {
    if (zoom == m_zoom) return;
    m_zoom = zoom;
    update();
    emit viewChanged();
}

void PaletteView::setPrintDpi(int dpi) {
    m_dpi = dpi;
    if (m_zoom == Zoom::Print) update();
}

void PaletteView::setMiddle(QPointF middle) {
    m_middle = {std::clamp(middle.x(), 0.0, 1.0), std::clamp(middle.y(), 0.0, 1.0)};
    update();
}

double PaletteView::perPixel() const {
    // One of the screen's own pixels, or as large as it will be in print.
    return m_zoom == Zoom::Print ? logicalDpiX() / static_cast<double>(m_dpi) : 1 / devicePixelRatioF();
}

QRectF PaletteView::placeOf(int tile) const {
    if (m_alone >= 0) return tile == m_alone ? QRectF(rect()) : QRectF();
    const int n = static_cast<int>(m_tiles.size());
    if (n == 0) return {};
    const int columns = columnsFor(n, size(), 1.5, 40);
    const int rows = (n + columns - 1) / columns;
    const double w = static_cast<double>(width()) / columns, h = static_cast<double>(height()) / rows;
    return {(tile % columns) * w, (tile / columns) * h, w, h};
}

QRectF PaletteView::pictureOf(int tile) const {
    const QRectF place = placeOf(tile);
    if (place.isEmpty()) return {};
    const double line = 1.5 * fontInfo().pixelSize();
    const QRectF room = place.adjusted(6, 4, -6, -2 * line - 4);
    QSizeF size = m_tiles[static_cast<std::size_t>(tile)].size;
    if (size.isEmpty()) return room;
    if (m_zoom == Zoom::Whole)
        size.scale(room.size(), Qt::KeepAspectRatio);
    else
        size = (perPixel() * size).boundedTo(room.size());
    return {QPointF(room.center().x() - size.width() / 2, room.top()), size};
}

int PaletteView::tileAt(QPointF at) const {
    for (int i = 0; i < static_cast<int>(m_tiles.size()); ++i)
        if (placeOf(i).contains(at)) return i;
    return -1;
}

const QImage& PaletteView::pixels(int tile, const QRect& part, QSize room) {
    Kept& kept = m_kept[tile];
    if (kept.image.isNull() || kept.part != part || kept.room != room)
        kept = {part, room, part.isNull() ? m_source.whole(tile, room) : m_source.part(tile, part)};
    return kept.image;
}

void PaletteView::paintPixels(QPainter& p, int tile, const QRectF& picture) {
    const QSizeF whole = m_tiles[static_cast<std::size_t>(tile)].size;
    p.save();
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    if (m_zoom == Zoom::Whole) {
        p.drawImage(picture, inThemeLight(pixels(tile, {}, (picture.size() * devicePixelRatioF()).toSize())));
        p.restore();
        return;
    }
    // The part that is shown, its middle held where the frame lets it be.
    const double scale = perPixel();
    const QSizeF part = picture.size() / scale;
    const auto begin = [](double middle, double shown, double all) { return std::clamp(middle * all - shown / 2, 0.0, std::max(0.0, all - shown)); };
    const QRectF wanted(QPointF(begin(m_middle.x(), part.width(), whole.width()), begin(m_middle.y(), part.height(), whole.height())), part);
    if (m_zoom == Zoom::Pixels) {
        const QRect exact(static_cast<int>(wanted.x()), static_cast<int>(wanted.y()), static_cast<int>(std::ceil(part.width())),
                          static_cast<int>(std::ceil(part.height())));
        const QImage image = inThemeLight(pixels(tile, exact, {}));
        p.setClipRect(picture);
        p.drawImage(QRectF(picture.topLeft(), QSizeF(image.size()) * scale), image);
    } else {
        const QImage image = inThemeLight(pixels(tile, {}, (whole * scale * devicePixelRatioF()).toSize()));
        const double per = image.width() / whole.width();
        p.drawImage(picture, image, QRectF(wanted.topLeft() * per, part * per));
    }
    p.restore();
}

void PaletteView::paintLabel(QPainter& p, const Tile& tile, const QRectF& picture, Qt::Alignment side) const {
    const Theme& t = theme();
    const double line = 1.5 * fontInfo().pixelSize();
    QFont bold = p.font();
    bold.setBold(true);
    p.setFont(bold);
    const double mark = tile.style ? line : 0;
    const QString name = QFontMetricsF(bold).elidedText(tile.name, Qt::ElideRight, picture.width() - mark);
    QRectF place(picture.left(), picture.bottom() + 2, picture.width(), line);
    if (tile.style) { // left of the name, on either side
        const double x = side & Qt::AlignRight ? place.right() - QFontMetricsF(bold).horizontalAdvance(name) - 0.5 * mark : place.left() + 0.35 * mark;
        p.save();
        p.setRenderHint(QPainter::Antialiasing);
        p.translate(x, place.center().y());
        p.setPen(Qt::NoPen);
        p.setBrush(tile.style->colour);
        p.drawPath(tile.style->marker(0.26 * line));
        p.restore();
        if (!(side & Qt::AlignRight)) place.setLeft(place.left() + 0.9 * mark);
    }
    p.setPen(t.text);
    p.drawText(place, side | Qt::AlignVCenter, name);
    bold.setBold(false);
    p.setFont(bold);
    if (tile.size.isEmpty()) return;
    p.setPen(t.dim);
    p.drawText(QRectF(picture.left(), picture.bottom() + 2 + line, picture.width(), line), side | Qt::AlignVCenter,
               QFontMetricsF(bold).elidedText(tile.under, Qt::ElideRight, picture.width()));
}

void PaletteView::paintTile(QPainter& p, int tile, const QRectF& picture) {
    const Tile& shown = m_tiles[static_cast<std::size_t>(tile)];
    if (!shown.size.isEmpty()) {
        paintPixels(p, tile, picture);
    } else {
        p.setPen(theme().dim);
        p.drawText(picture.adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap, shown.under);
    }
    paintLabel(p, shown, picture, Qt::AlignLeft);
}

QSizeF PaletteView::pictureSize() const {
    return m_tiles.empty() ? QSizeF() : QSizeF(m_tiles[static_cast<std::size_t>(std::max(0, m_alone))].size);
}

void PaletteView::paintCurtain(QPainter& p, int tile) {
    const QRectF picture = pictureOf(tile);
    const Tile &left = m_tiles[static_cast<std::size_t>(m_behind)], &right = m_tiles[static_cast<std::size_t>(tile)];
    const double x = picture.left() + edge() * picture.width();
    if (!right.size.isEmpty()) paintPixels(p, tile, picture);
    if (!left.size.isEmpty()) {
        p.save();
        p.setClipRect(QRectF(picture.left(), picture.top(), x - picture.left(), picture.height()));
        paintPixels(p, m_behind, picture);
        p.restore();
    }
    p.setPen(QPen(theme().accent, 2));
    p.drawLine(QPointF(x, picture.top()), QPointF(x, picture.bottom()));
    p.setBrush(theme().accent);
    p.drawEllipse(QPointF(x, picture.center().y()), 5, 5);
    p.setBrush(Qt::NoBrush);
    const QRectF half(picture.left(), picture.top(), picture.width() / 2 - 8, picture.height());
    paintLabel(p, left, half, Qt::AlignLeft);
    paintLabel(p, right, half.translated(picture.width() / 2 + 8, 0), Qt::AlignRight);
}

void PaletteView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().plot);
    if (m_curtain && m_alone >= 0)
        paintCurtain(p, m_alone);
    else
        for (int i = 0; i < static_cast<int>(m_tiles.size()); ++i)
            if (const QRectF picture = pictureOf(i); !picture.isEmpty()) paintTile(p, m_alone >= 0 && m_first ? 0 : i, picture);
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

QImage PaletteView::shown() {
    QImage out(size() * devicePixelRatioF(), QImage::Format_RGB32);
    out.setDevicePixelRatio(devicePixelRatioF());
    render(&out);
    return out;
}

void PaletteView::zoomAt(Zoom zoom, QPointF at) {
    if (const int tile = tileAt(at); tile >= 0 && zoom != Zoom::Whole && m_zoom == Zoom::Whole)
        if (const QRectF picture = pictureOf(tile); !picture.isEmpty())
            setMiddle({(at.x() - picture.left()) / picture.width(), (at.y() - picture.top()) / picture.height()});
    setZoom(zoom);
}

void PaletteView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_hand = Hand{event->position()};
    m_held = {m_middle, tileAt(event->position()), edgeGrip().contains(event->position())};
}

void PaletteView::mouseMoveEvent(QMouseEvent* event) {
    if (!m_hand) return;
    m_hand->to(event->position());
    if (m_held.edge) return drawEdgeTo(event->position());
    if (!m_hand->moved || m_zoom == Zoom::Whole || m_held.tile < 0) return;
    const QPointF by = event->position() - m_hand->from;
    const QSizeF whole = QSizeF(m_tiles[static_cast<std::size_t>(m_held.tile)].size) * perPixel();
    if (!whole.isEmpty()) setMiddle(m_held.middle - QPointF(by.x() / whole.width(), by.y() / whole.height()));
}

void PaletteView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !m_hand) return;
    const bool moved = m_hand->moved;
    m_hand.reset();
    if (m_held.edge || moved || m_held.tile < 0) return;
    if (m_curtain) return; // a click beside the edge moves nothing away
    m_beforeClick = m_alone;
    setAlone(m_alone >= 0 ? -1 : m_held.tile);
}

void PaletteView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    m_hand.reset();
    if (!m_curtain) setAlone(m_beforeClick); // the first click of the two has flipped between one and all
    zoomAt(m_zoom == Zoom::Whole ? Zoom::Pixels : Zoom::Whole, event->position());
}

void PaletteView::wheelEvent(QWheelEvent* event) {
    if (event->angleDelta().y() > 0)
        zoomAt(Zoom::Pixels, event->position());
    else if (event->angleDelta().y() < 0)
        zoomAt(Zoom::Whole, event->position());
}

void PaletteView::keyPressEvent(QKeyEvent* event) {
    const int n = static_cast<int>(m_tiles.size());
    if (n == 0) return QWidget::keyPressEvent(event);
    const int digit = event->key() - Qt::Key_1;
    const bool shift = event->modifiers() & Qt::ShiftModifier;
    const double step = 0.05;
    if (event->key() == Qt::Key_Right && !shift)
        setAlone((m_alone + 1) % n);
    else if (event->key() == Qt::Key_Left && !shift)
        setAlone(m_alone <= 0 ? n - 1 : m_alone - 1);
    else if (m_curtain && (event->key() == Qt::Key_Right || event->key() == Qt::Key_Left))
        setEdge(edge() + (event->key() == Qt::Key_Right ? step : -step));
    else if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) // in the curtain: the picture behind it
        m_behind = (m_behind + (event->key() == Qt::Key_Up ? n - 1 : 1)) % n, update();
    else if (digit >= 0 && digit < std::min(9, n) && event->modifiers() == Qt::NoModifier)
        setAlone(digit);
    else if (event->key() == Qt::Key_C && event->modifiers() == Qt::NoModifier)
        setCurtain(!m_curtain);
    else if (event->key() == Qt::Key_Z && event->modifiers() == Qt::NoModifier)
        zoomAt(m_zoom == Zoom::Whole ? Zoom::Pixels : Zoom::Whole, mapFromGlobal(QCursor::pos()));
    else if (event->key() == Qt::Key_Escape)
        setZoom(Zoom::Whole), setAlone(-1);
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
