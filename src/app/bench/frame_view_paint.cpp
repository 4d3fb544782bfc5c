#include "app/bench/frame_view.h"
#include "app/bench/region_drawing.h"
#include "app/widgets/theme.h"

#include <QPainter>

#include <cmath>

/// How the view looks.
namespace caelumen {
namespace {

QColor ground() {
    return theme().isRed() ? theme().plot : QColor(0x1f, 0x1f, 0x20); // pictures are judged against dark in every theme
}

QColor ink() {
    return theme().isRed() ? theme().accent : QColor(240, 240, 235);
}

/// Readable on any picture.
void drawTag(QPainter& p, QPointF at, const QString& text, const QColor& colour) {
    p.setPen(QColor(0, 0, 0, 190));
    p.drawText(at + QPointF(1, 1), text);
    p.setPen(colour);
    p.drawText(at, text);
}

} // namespace

void FrameView::paintPicture(QPainter& p, const QString& run, const QRectF& room) {
    const ViewPictures::Made* made = m_pictures.made(run);
    if (!made) return;
    const double ratio = devicePixelRatioF();
    if (m_pictures.isCurrent(run)) {
        QImage image = made->image; // shares its pixels
        image.setDevicePixelRatio(ratio);
        p.drawImage(room.topLeft(), image);
        return;
    }
    // Made for another place: where it lies in this one.
    const QTransform view = m_place.transform() * QTransform::fromTranslate(room.left(), room.top());
    const double half = 0.5 * made->place.step;
    const QPointF from = view.map(QPointF(made->place.x - half, made->place.y - half)),
                  to = view.map(
                      QPointF(made->place.x - half + made->place.step * made->place.width, made->place.y - half + made->place.step * made->place.height));
    p.drawImage(QRectF(from, to), made->image);
}

void FrameView::paintMarks(QPainter& p, const ViewMarks& marks, const QTransform& view, const QRectF& room) {
    const double zoom = m_place.zoom();
    QColor soft = ink();
    soft.setAlpha(90);
    p.setPen(QPen(soft, 1));
    p.setBrush(QBrush(QColor(soft.red(), soft.green(), soft.blue(), 45), Qt::BDiagPattern));
    for (const StarDisc& d : marks.masked) {
        const QPointF c = view.map(QPointF(d.at.x, d.at.y));
        const double r = d.radius * zoom;
        if (r >= 1.2 && room.adjusted(-r, -r, r, r).contains(c)) p.drawEllipse(c, r, r);
    }
    p.setBrush(Qt::NoBrush);
    for (const StarDisc& d : marks.rings) {
        const QPointF c = view.map(QPointF(d.at.x, d.at.y));
        p.setPen(QPen(QColor(0, 0, 0, 150), 3));
        p.drawEllipse(c, d.radius * zoom, d.radius * zoom);
        p.setPen(QPen(theme().accent, 1.4, Qt::DashLine));
        p.drawEllipse(c, d.radius * zoom, d.radius * zoom);
    }
    for (const Point& s : marks.stars) {
        const QPointF c = view.map(QPointF(s.x, s.y));
        if (!room.contains(c)) continue;
        p.setPen(QPen(QColor(0, 0, 0, 150), 3));
        p.drawEllipse(c, 7, 7);
        p.setPen(QPen(theme().accent, 1.4));
        p.drawEllipse(c, 7, 7);
    }
    for (const ViewMarks::Arrow& a : marks.arrows) {
        const QPointF from = view.map(QPointF(a.from.x, a.from.y)), to = view.map(QPointF(a.to.x, a.to.y));
        const double angle = std::atan2(to.y() - from.y(), to.x() - from.x());
        for (const auto& [pen, width] : {std::pair{QColor(0, 0, 0, 150), 4.0}, {theme().accent, 1.8}}) {
            p.setPen(QPen(pen, width));
            p.drawLine(from, to);
            for (const double side : {-1.0, 1.0}) p.drawLine(to, to - 11 * QPointF(std::cos(angle + 0.4 * side), std::sin(angle + 0.4 * side)));
        }
        drawTag(p, to + QPointF(8, 4), a.tag, theme().accent);
    }
}

void FrameView::paintRegions(QPainter& p, const QTransform& view, bool active) {
    if (m_showRegions)
        for (const Region& r : m_regions) {
            const bool dragged = m_edited && m_edited->id == r.id;
            drawRegion(p, dragged ? *m_edited : r, view, ink(), active && m_selected.toStdString() == r.id);
        }
    if (const auto drawn = m_tool.preview()) drawRegion(p, *drawn, view, theme().accent, false);
    if (m_tool.outline().empty()) return;
    QPolygonF line;
    for (const Point& c : m_tool.outline()) line << view.map(QPointF(c.x, c.y));
    line << view.map(QPointF(m_tool.at().x, m_tool.at().y));
    p.setPen(QPen(theme().accent, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
}

/// Which picture this is, and how it is stretched: never out of sight, and never over pixels.
void FrameView::paintCaption(QPainter& p, const QString& run, const QRectF& place, Qt::Alignment side) {
    const ViewLane* l = lane(run);
    if (!l) return;
    const Theme& t = theme();
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    const QFontMetricsF wide(bold), fm(font());
    const double mark = 20, room = place.width() - mark - 10;
    const QString name = wide.elidedText(l->label, Qt::ElideMiddle, room);
    const double nameWidth = wide.horizontalAdvance(name) + 10;
    const bool right = side & Qt::AlignRight;
    const double x = right ? place.right() - nameWidth - mark : place.left();
    p.save();
    p.translate(x + 11, place.center().y());
    p.fillPath(l->style.marker(6), l->style.colour);
    p.restore();
    p.setPen(t.text);
    p.setFont(bold);
    p.drawText(QRectF(x + mark + 2, place.top(), nameWidth, place.height()), Qt::AlignVCenter, name);
    p.setFont(font());
    QStringList notes;
    if ((m_mode != Mode::Tiles && !right) || m_ratio) notes << (m_ratio && !l->baseline ? tr("electrons over the baseline's") : m_note);
    if (m_mode == Mode::One && !l->note.isEmpty()) notes << l->note;
    const double left = place.width() - nameWidth - mark - 8;
    if (left < 60) return;
    p.setPen(t.dim);
    p.drawText(QRectF(right ? place.left() + 4 : x + mark + nameWidth, place.top(), left, place.height()), Qt::AlignVCenter,
               fm.elidedText(notes.join(QString::fromUtf8("  \u00B7  ")), Qt::ElideRight, left));
}

/// What the colours of a ratio mean.
void FrameView::paintScale(QPainter& p, const QRectF& room) {
    constexpr int kWidth = 200, kHeight = 10;
    QImage bar(kWidth, 1, QImage::Format_RGB32);
    const double span = std::log2(kRatioHigh / kRatioLow);
    for (int x = 0; x < kWidth; ++x) bar.setPixel(x, 0, ratioColour(kRatioLow * std::exp2(span * x / (kWidth - 1)), theme().tint()));
    const double line = fontMetrics().height();
    const QRectF box(room.right() - kWidth - 34, room.bottom() - kHeight - line - 20, kWidth + 28, kHeight + line + 14);
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0, 0, 0, 170));
    p.drawRoundedRect(box, 4, 4);
    const QRectF scale(box.left() + 14, box.top() + 6, kWidth, kHeight);
    p.drawImage(scale, bar);
    p.setPen(ink());
    for (const auto& [value, text] : {std::pair{1.0 / 64, "1/64"}, {1.0 / 16, "1/16"}, {1.0 / 4, "1/4"}, {1.0, "1"}, {4.0, "4"}}) {
        const double x = scale.left() + std::log2(value / kRatioLow) / span * kWidth;
        p.drawLine(QPointF(x, scale.bottom()), QPointF(x, scale.bottom() + 3));
        p.drawText(QRectF(x - 24, scale.bottom() + 3, 48, line), Qt::AlignCenter, text);
    }
}

void FrameView::paintEmpty(QPainter& p, const ViewLane* shown, const QRectF& room) {
    p.fillRect(room, theme().plot);
    p.setPen(theme().dim);
    p.drawText(room.adjusted(30, 30, -30, -30), Qt::AlignCenter | Qt::TextWordWrap,
               shown && !shown->missing.isEmpty() ? tr("No picture: %1").arg(shown->missing)
               : m_lanes.empty()                  ? tr("Drop two or more stacked frames here\nto compare filters.\n\nFITS or TIFF, one frame for each filter.")
                                                  : tr("Loading the picture \u2026"));
}

void FrameView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().window);
    if (m_lanes.empty()) return paintEmpty(p, nullptr, rect());
    bool scaled = false;
    for (const Pane& pane : panes()) {
        const ViewLane* here = lane(pane.run);
        const bool active = m_mode != Mode::Tiles || pane.run == m_current;
        const double x = pane.picture.left() + edge() * pane.picture.width();
        p.save();
        p.setClipRect(pane.picture);
        p.fillRect(pane.picture, ground());
        if (!here || !here->picture)
            paintEmpty(p, here, pane.picture);
        else
            paintPicture(p, pane.run, pane.picture);
        if (m_mode == Mode::Curtain) {
            p.setClipRect(QRectF(pane.picture.topLeft(), QPointF(x, pane.picture.bottom())));
            p.fillRect(pane.picture, ground());
            const ViewLane* left = lane(behind());
            if (!left || !left->picture)
                paintEmpty(p, left, pane.picture);
            else
                paintPicture(p, behind(), pane.picture);
            p.setClipRect(pane.picture);
        }
        p.setRenderHint(QPainter::Antialiasing);
        const QTransform view = transformIn(pane);
        if (const auto marks = m_marks.find(pane.run); marks != m_marks.end()) paintMarks(p, marks->second, view, pane.picture);
        paintRegions(p, view, active);
        if (m_ratio && !scaled && here && (m_mode == Mode::Curtain || !here->baseline)) paintScale(p, pane.picture), scaled = true;
        if (m_mode == Mode::Curtain) {
            p.setPen(QPen(theme().accent, 1.6));
            p.drawLine(QPointF(x, pane.picture.top()), QPointF(x, pane.picture.bottom()));
            p.setBrush(theme().accent);
            p.drawEllipse(QPointF(x, pane.picture.center().y()), 5, 5);
            p.setBrush(Qt::NoBrush);
        }
        p.restore();
        p.setRenderHint(QPainter::Antialiasing);
        if (m_mode == Mode::Curtain) {
            const double half = pane.caption.width() / 2 - 6;
            paintCaption(p, behind(), QRectF(pane.caption.topLeft(), QSizeF(half, pane.caption.height())), Qt::AlignLeft);
            paintCaption(p, pane.run, QRectF(pane.caption.left() + half + 12, pane.caption.top(), half, pane.caption.height()), Qt::AlignRight);
        } else {
            paintCaption(p, pane.run, pane.caption, Qt::AlignLeft);
        }
        if (m_mode == Mode::Tiles && active) {
            p.setPen(QPen(theme().accent, 1));
            p.setBrush(Qt::NoBrush);
            p.drawRect(pane.caption.united(pane.picture).adjusted(0.5, 0.5, -0.5, -0.5));
        }
    }
    if (hasFocus()) {
        p.setPen(theme().accent);
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

} // namespace caelumen
