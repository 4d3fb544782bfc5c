#include "app/bench/frame_view.h"

#include "app/bench/region_drawing.h"
#include "app/widgets/theme.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace caelumen {

FrameView::FrameView(QWidget* parent)
    : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(320, 240);
    setAccessibleName(tr("Pictures"));
}

void FrameView::setLanes(std::vector<ViewLane> lanes, QSize frame) {
    const bool newFrame = frame != m_frame;
    m_lanes = std::move(lanes);
    m_frame = frame;
    m_composed.clear();
    if (!lane(m_current)) m_current = m_lanes.empty() ? QString() : m_lanes.front().run;
    if (newFrame || m_fitted) fitFrame();
    update();
}

void FrameView::setCurrent(const QString& run) {
    if (run == m_current || !lane(run)) return;
    m_current = run;
    update();
    emit flipped(run);
}

void FrameView::setRegions(const std::vector<Region>& regions) {
    m_regions = regions;
    if (!region(m_selected)) select({});
    update();
}

void FrameView::setStretchNote(const QString& note) {
    m_note = note;
    update();
}

void FrameView::setOverlay(const std::vector<StarDisc>& discs) {
    m_overlay = discs;
    update();
}

void FrameView::setShowRegions(bool show) {
    m_showRegions = show;
    update();
}

void FrameView::setTool(Tool tool) {
    m_tool = tool;
    m_outline.clear();
    m_edited.reset();
    setCursor(tool == Tool::Look ? Qt::ArrowCursor : Qt::CrossCursor);
    update();
}

void FrameView::select(const QString& id) {
    if (id == m_selected) return;
    m_selected = id;
    update();
    emit regionSelected(id);
}

void FrameView::picturesChanged() {
    m_composed.clear();
    update();
}

const ViewLane* FrameView::lane(const QString& run) const {
    const auto it = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const ViewLane& l) { return l.run == run; });
    return it == m_lanes.end() ? nullptr : &*it;
}

const Region* FrameView::region(const QString& id) const {
    const auto it = std::find_if(m_regions.begin(), m_regions.end(), [&](const Region& r) { return r.id == id.toStdString(); });
    return it == m_regions.end() ? nullptr : &*it;
}

QTransform FrameView::transform() const {
    return {m_zoom, 0, 0, m_zoom, m_origin.x(), m_origin.y()};
}

Point FrameView::toFrame(QPointF view) const {
    return {(view.x() - m_origin.x()) / m_zoom, (view.y() - m_origin.y()) / m_zoom};
}

void FrameView::viewMoved() {
    m_composed.clear();
    update();
}

void FrameView::fitFrame() {
    if (!m_frame.isValid() || m_frame.isEmpty()) return;
    m_zoom = std::min(width() / static_cast<double>(m_frame.width()), height() / static_cast<double>(m_frame.height()));
    m_origin = {(width() - m_frame.width() * m_zoom) / 2 + 0.5 * m_zoom, (height() - m_frame.height() * m_zoom) / 2 + 0.5 * m_zoom};
    m_fitted = true;
    viewMoved();
}

void FrameView::zoomTo(double zoom, QPointF about) {
    const Point fixed = toFrame(about);
    m_zoom = std::clamp(zoom, 0.02, 32.0);
    m_origin = {about.x() - fixed.x * m_zoom, about.y() - fixed.y * m_zoom};
    m_fitted = false;
    viewMoved();
}

void FrameView::showRegion(const Region& r) {
    const Region::Bounds b = r.bounds();
    const double size = std::max({b.max.x - b.min.x, b.max.y - b.min.y, r.role == RegionRole::HaloStar ? 260.0 : 60.0});
    m_zoom = std::clamp(0.55 * std::min(width(), height()) / size, 0.05, 6.0);
    const Point c = r.centre();
    m_origin = {width() / 2.0 - c.x * m_zoom, height() / 2.0 - c.y * m_zoom};
    m_fitted = false;
    viewMoved();
}

const QImage& FrameView::composed(const ViewLane& l) {
    QImage& image = m_composed[l.run];
    const double ratio = devicePixelRatioF();
    if (image.isNull()) {
        image = QImage((QSizeF(size()) * ratio).toSize(), QImage::Format_RGB32);
        image.fill(theme().isRed() ? theme().plot : QColor(0x1f, 0x1f, 0x20)); // pictures are judged against dark in every theme
        QPainter painter(&image);
        l.picture->paint(painter, transform() * QTransform::fromScale(ratio, ratio), QRectF(image.rect()));
        painter.end();
        image.setDevicePixelRatio(ratio);
    }
    return image;
}

void FrameView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const ViewLane* shown = lane(m_current);
    if (!shown || !shown->picture) {
        painter.fillRect(rect(), theme().plot);
        painter.setPen(theme().dim);
        painter.drawText(rect().adjusted(30, 30, -30, -30), Qt::AlignCenter | Qt::TextWordWrap,
                         shown && !shown->missing.isEmpty() ? tr("No picture: %1").arg(shown->missing)
                         : m_lanes.empty() ? tr("Drop two or more stacked frames here\nto compare filters.\n\nFITS or TIFF, one frame for each filter.")
                                           : tr("Loading the picture \u2026"));
        return;
    }
    painter.drawImage(0, 0, composed(*shown));

    const QColor ink = theme().isRed() ? theme().accent : QColor(240, 240, 235);
    const QTransform view = transform();
    painter.setRenderHint(QPainter::Antialiasing);
    if (!m_overlay.empty()) {
        QColor soft = ink;
        soft.setAlpha(90);
        painter.setPen(QPen(soft, 1));
        painter.setBrush(QBrush(QColor(soft.red(), soft.green(), soft.blue(), 45), Qt::BDiagPattern));
        for (const StarDisc& d : m_overlay) {
            const QPointF c = view.map(QPointF(d.at.x, d.at.y));
            const double r = d.radius * m_zoom;
            if (r < 1.2 || !QRectF(rect()).adjusted(-r, -r, r, r).contains(c)) continue;
            painter.drawEllipse(c, r, r);
        }
    }
    if (m_showRegions)
        for (const Region& r : m_regions) {
            const bool dragged = m_edited && m_edited->id == r.id;
            drawRegion(painter, dragged ? *m_edited : r, view, ink, m_selected.toStdString() == r.id);
        }
    if (m_edited && m_edited->id.empty()) drawRegion(painter, *m_edited, view, theme().accent, false);
    if (!m_outline.empty()) {
        QPolygonF line;
        for (const Point& p : m_outline) line << view.map(QPointF(p.x, p.y));
        line << m_last;
        painter.setPen(QPen(theme().accent, 1.5));
        painter.drawPolyline(line);
    }

    // Which picture this is, and how it is stretched: never out of sight.
    const QString text = shown->label, note = m_note;
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    const QFontMetrics wide(bold), fm(font());
    const int w = std::min(width() - 20, std::max(wide.horizontalAdvance(text) + 30, fm.horizontalAdvance(note) + 6) + 14);
    const QRect box(10, 10, w, 2 * fm.height() + 12);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0, 0, 0, 165));
    painter.drawRoundedRect(box, 4, 4);
    painter.save();
    painter.translate(box.left() + 14, box.top() + 6 + fm.height() / 2);
    painter.fillPath(shown->style.marker(6), shown->style.colour);
    painter.restore();
    painter.setPen(ink);
    painter.setFont(bold);
    painter.drawText(QRect(box.left() + 26, box.top() + 5, w - 30, fm.height()), Qt::AlignVCenter, wide.elidedText(text, Qt::ElideMiddle, w - 30));
    painter.setFont(font());
    painter.setPen(theme().isRed() ? theme().text : QColor(190, 190, 186));
    painter.drawText(QRect(box.left() + 8, box.top() + 7 + fm.height(), w - 12, fm.height()), Qt::AlignVCenter, fm.elidedText(note, Qt::ElideRight, w - 14));
}

void FrameView::resizeEvent(QResizeEvent*) {
    if (m_fitted)
        fitFrame();
    else
        viewMoved();
}

void FrameView::wheelEvent(QWheelEvent* event) {
    if (m_lanes.empty()) return;
    zoomTo(m_zoom * std::pow(1.0017, event->angleDelta().y()), event->position());
    event->accept();
}

void FrameView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    m_press = m_last = event->position();
    if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && m_tool == Tool::Look)) {
        m_handle = -1;
        if (event->button() == Qt::LeftButton && m_showRegions) {
            if (const Region* r = region(m_selected)) {
                for (const RegionHandle& h : regionHandles(*r, transform())) {
                    if (std::hypot(h.at.x() - m_press.x(), h.at.y() - m_press.y()) > 8) continue;
                    m_handle = h.index;
                    m_edited = *r;
                    m_drag = Drag::Region;
                    return;
                }
            }
            // The smallest region under the mouse is meant.
            const Region* hit = nullptr;
            for (const Region& r : m_regions)
                if (regionHit(r, transform(), m_press) && (!hit || r.bounds().max.x - r.bounds().min.x < hit->bounds().max.x - hit->bounds().min.x)) hit = &r;
            select(hit ? QString::fromStdString(hit->id) : QString());
            if (hit) {
                m_edited = *hit;
                m_drag = Drag::Region;
                return;
            }
        }
        m_drag = Drag::Pan;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (event->button() == Qt::RightButton && m_tool != Tool::Look) {
        emit toolDone();
        return;
    }
    if (event->button() != Qt::LeftButton || m_lanes.empty()) return;
    const Point p = toFrame(m_press);
    Region r;
    switch (m_tool) {
    case Tool::NebulaOutline:
        m_outline.push_back(p);
        update();
        return;
    case Tool::HaloStar:
        r.role = RegionRole::HaloStar;
        r.shape = RegionShape::Star;
        r.points = {p};
        emit regionDrawn(r);
        emit toolDone();
        return;
    case Tool::Nebula:
        r.role = RegionRole::Nebula;
        r.shape = RegionShape::Circle;
        r.points = {p};
        r.radius = 1;
        break;
    default:
        r.role = RegionRole::Sky;
        r.shape = RegionShape::Rect;
        r.points = {p, p};
    }
    m_edited = r;
    m_drag = Drag::Draw;
}

void FrameView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    const Point p = toFrame(at);
    const bool inside = p.x > -0.5 && p.y > -0.5 && p.x < m_frame.width() - 0.5 && p.y < m_frame.height() - 0.5;
    emit hovered(p, inside && !m_lanes.empty());
    switch (m_drag) {
    case Drag::Pan:
        m_origin += at - m_last;
        m_fitted = false;
        viewMoved();
        break;
    case Drag::Region: {
        const Region* original = region(QString::fromStdString(m_edited->id));
        const Point from = toFrame(m_press);
        if (original) m_edited = regionDragged(*original, m_handle, p, {p.x - from.x, p.y - from.y});
        update();
        break;
    }
    case Drag::Draw: {
        const Point from = toFrame(m_press);
        if (m_edited->shape == RegionShape::Circle)
            m_edited->radius = std::max(1.0, std::hypot(p.x - from.x, p.y - from.y));
        else
            m_edited->points = {{std::min(from.x, p.x), std::min(from.y, p.y)}, {std::max(from.x, p.x), std::max(from.y, p.y)}};
        update();
        break;
    }
    case Drag::None:
        if (!m_outline.empty()) update();
    }
    m_last = at;
}

void FrameView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag drag = m_drag;
    m_drag = Drag::None;
    setCursor(m_tool == Tool::Look ? Qt::ArrowCursor : Qt::CrossCursor);
    const bool moved = (event->position() - m_press).manhattanLength() > 3;
    if (drag == Drag::Region && m_edited) {
        const Region changed = *m_edited;
        m_edited.reset();
        if (moved) emit regionChanged(changed);
    } else if (drag == Drag::Draw && m_edited) {
        Region drawn = *m_edited;
        m_edited.reset();
        // A plain click gives a region of a handy size.
        if (!moved && drawn.shape == RegionShape::Circle) drawn.radius = 0.03 * m_frame.width();
        if (!moved && drawn.shape == RegionShape::Rect)
            drawn.points = {{drawn.points[0].x - 0.04 * m_frame.width(), drawn.points[0].y - 0.04 * m_frame.width()},
                            {drawn.points[0].x + 0.04 * m_frame.width(), drawn.points[0].y + 0.04 * m_frame.width()}};
        emit regionDrawn(drawn);
        emit toolDone();
    }
    update();
}

void FrameView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (m_tool == Tool::NebulaOutline && m_outline.size() >= 3) {
        Region r;
        r.role = RegionRole::Nebula;
        r.shape = RegionShape::Polygon;
        r.points = m_outline;
        m_outline.clear();
        emit regionDrawn(r);
        emit toolDone();
        return;
    }
    for (const Region& r : m_regions)
        if (m_tool == Tool::Look && regionHit(r, transform(), event->position())) {
            emit renameAsked(QString::fromStdString(r.id));
            return;
        }
}

void FrameView::keyPressEvent(QKeyEvent* event) {
    const int key = event->key();
    if (key >= Qt::Key_1 && key <= Qt::Key_9) {
        const auto i = static_cast<std::size_t>(key - Qt::Key_1);
        if (i < m_lanes.size()) setCurrent(m_lanes[i].run);
        return;
    }
    const Region* chosen = region(m_selected);
    const double step = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
    const auto at = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const ViewLane& l) { return l.run == m_current; });
    const auto flip = [&](std::ptrdiff_t by) {
        if (m_lanes.empty()) return;
        const auto n = static_cast<std::ptrdiff_t>(m_lanes.size());
        setCurrent(m_lanes[static_cast<std::size_t>(((at - m_lanes.begin()) + by + n) % n)].run);
    };
    const auto nudge = [&](double dx, double dy) { emit regionChanged(regionDragged(*chosen, -1, {}, {dx, dy})); };
    switch (key) {
    case Qt::Key_Left:
        chosen ? nudge(-step, 0) : flip(-1);
        return;
    case Qt::Key_Right:
        chosen ? nudge(step, 0) : flip(1);
        return;
    case Qt::Key_Up:
        if (chosen) nudge(0, -step);
        return;
    case Qt::Key_Down:
        if (chosen) nudge(0, step);
        return;
    case Qt::Key_Escape:
        if (m_tool != Tool::Look)
            emit toolDone();
        else
            select({});
        return;
    default:
        QWidget::keyPressEvent(event);
    }
}

bool FrameView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && m_showRegions) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (const Region& r : m_regions)
            if (regionHit(r, transform(), help->pos())) {
                QToolTip::showText(help->globalPos(), regionText(r), this);
                return true;
            }
        QToolTip::hideText();
        return true;
    }
    if (event->type() == QEvent::PaletteChange || event->type() == QEvent::StyleChange) m_composed.clear();
    return QWidget::event(event);
}

} // namespace caelumen
