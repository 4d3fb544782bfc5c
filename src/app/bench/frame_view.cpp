#include "app/bench/frame_view.h"

#include "app/bench/region_drawing.h"
#include "app/widgets/theme.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kEdgeStep = 0.05;

} // namespace

FrameView::FrameView(QWidget* parent)
    : PictureView(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(320, 200);
    setAccessibleName(tr("Pictures"));
    connect(&m_pictures, &ViewPictures::arrived, this, [this] { update(); });
}

void FrameView::setLanes(std::vector<ViewLane> lanes, QSize frame) {
    const bool newFrame = frame != m_frame;
    m_lanes = std::move(lanes);
    m_frame = frame;
    if (!lane(m_current)) m_current = m_lanes.empty() ? QString() : m_lanes.front().run;
    relay();
    if (newFrame || m_place.fitted())
        fitFrame();
    else
        viewMoved();
}

void FrameView::relay() {
    const auto base = std::find_if(m_lanes.begin(), m_lanes.end(), [](const ViewLane& l) { return l.baseline; });
    std::vector<ViewPictures::Lane> out;
    for (const ViewLane& l : m_lanes)
        out.push_back(
            {l.run, l.picture, l.showing, l.alignment, l.stretch, m_ratio && !l.baseline && base != m_lanes.end() && base->picture ? base->picture : nullptr});
    m_pictures.setLanes(std::move(out), theme().tint());
}

void FrameView::themeChanged() {
    relay();
    viewMoved();
}

void FrameView::setCurrent(const QString& run) {
    if (run == m_current || !lane(run)) return;
    m_current = run;
    viewMoved();
    emit flipped(run);
}

void FrameView::flip(int by) {
    const auto n = static_cast<int>(m_lanes.size());
    if (n == 0) return;
    const auto at = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const ViewLane& l) { return l.run == m_current; });
    setCurrent(m_lanes[static_cast<std::size_t>(((static_cast<int>(at - m_lanes.begin()) + by) % n + n) % n)].run);
}

void FrameView::setBaselineHeld(bool held) {
    if (held == m_held) return;
    m_held = held;
    viewMoved();
}

QString FrameView::shown() const {
    if (m_held)
        for (const ViewLane& l : m_lanes)
            if (l.baseline) return l.run;
    return m_current;
}

void FrameView::setMode(Mode mode) {
    if (mode == m_mode) return;
    m_mode = mode;
    if (m_mode == Mode::Curtain && behind() == m_current) // two that differ
        for (const ViewLane& l : m_lanes)
            if (l.run != m_current) {
                m_behind = l.run;
                break;
            }
    if (m_place.fitted())
        fitFrame();
    else
        viewMoved();
    emit modeChanged();
}

QString FrameView::behind() const {
    if (lane(m_behind)) return m_behind;
    for (const ViewLane& l : m_lanes)
        if (l.baseline) return l.run;
    return m_lanes.empty() ? QString() : m_lanes.front().run;
}

void FrameView::setBehind(const QString& run) {
    m_behind = run;
    viewMoved();
    emit modeChanged();
}

void FrameView::setRatio(bool on) {
    if (on == m_ratio) return;
    m_ratio = on;
    relay();
    viewMoved();
    emit modeChanged();
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

void FrameView::setMarks(std::map<QString, ViewMarks> marks) {
    m_marks = std::move(marks);
    update();
}

void FrameView::setShowRegions(bool show) {
    m_showRegions = show;
    update();
}

void FrameView::setTool(std::optional<RegionKind> kind) {
    m_tool.take(kind);
    m_edited.reset();
    setCursor(kind ? Qt::CrossCursor : Qt::ArrowCursor);
    update();
}

void FrameView::select(const QString& id) {
    if (id == m_selected) return;
    m_selected = id;
    update();
    emit regionSelected(id);
}

const ViewLane* FrameView::lane(const QString& run) const {
    const auto it = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const ViewLane& l) { return l.run == run; });
    return it == m_lanes.end() ? nullptr : &*it;
}

const Region* FrameView::region(const QString& id) const {
    const auto it = std::find_if(m_regions.begin(), m_regions.end(), [&](const Region& r) { return r.id == id.toStdString(); });
    return it == m_regions.end() ? nullptr : &*it;
}

/// The smallest one under the mouse is meant.
const Region* FrameView::regionAt(QPointF at) const {
    if (!m_showRegions) return nullptr;
    const Region* hit = nullptr;
    const QTransform view = transformIn(paneAt(at));
    const auto width = [](const Region& r) { return r.bounds().max.x - r.bounds().min.x; };
    for (const Region& r : m_regions)
        if (regionHit(r, view, at) && (!hit || width(r) < width(*hit))) hit = &r;
    return hit;
}

std::vector<FrameView::Pane> FrameView::panes() const {
    const double line = fontMetrics().height() + 6;
    const auto pane = [&](const QString& run, const QRectF& room) {
        return Pane{run, QRectF(room.left(), room.top(), room.width(), line), room.adjusted(0, line, 0, 0)};
    };
    if (m_mode != Mode::Tiles) return {pane(shown(), rect())};
    const int n = std::max(1, static_cast<int>(m_lanes.size()));
    const double aspect = m_frame.isEmpty() ? 1.5 : static_cast<double>(m_frame.width()) / m_frame.height();
    const int columns = columnsFor(n, size(), aspect, line), rows = (n + columns - 1) / columns;
    std::vector<Pane> out;
    for (int i = 0; i < static_cast<int>(m_lanes.size()); ++i) {
        const int w = (width() - (columns - 1) * 4) / columns, h = (height() - (rows - 1) * 4) / rows;
        out.push_back(pane(m_lanes[static_cast<std::size_t>(i)].run, QRectF((i % columns) * (w + 4), (i / columns) * (h + 4), w, h)));
    }
    if (out.empty()) out.push_back(pane({}, rect()));
    return out;
}

FrameView::Pane FrameView::paneAt(QPointF at) const {
    const auto all = panes();
    for (const Pane& p : all)
        if (p.picture.contains(at) || p.caption.contains(at)) return p;
    return all.front();
}

QTransform FrameView::transformIn(const Pane& pane) const {
    return m_place.transform() * QTransform::fromTranslate(pane.picture.left(), pane.picture.top());
}

QTransform FrameView::transform() const {
    const auto all = panes();
    const auto it = std::find_if(all.begin(), all.end(), [&](const Pane& p) { return p.run == m_current; });
    return transformIn(it == all.end() ? all.front() : *it);
}

Point FrameView::toFrame(QPointF view) const {
    return m_place.toPicture(view - (m_drag == Drag::None ? paneAt(view) : m_pressed).picture.topLeft());
}

QRectF FrameView::pictureOf(const QString& run) const {
    for (const Pane& p : panes())
        if (p.run == run) return p.picture;
    return {};
}

void FrameView::viewMoved() {
    const QRectF room = panes().front().picture;
    const double ratio = devicePixelRatioF(), step = 1 / (m_place.zoom() * ratio);
    const QSize size = (room.size() * ratio).toSize();
    const Point first = m_place.toPicture({0.5 / ratio, 0.5 / ratio});
    QStringList wanted{shown()};
    if (m_mode == Mode::Curtain) wanted << behind();
    const auto at = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const ViewLane& l) { return l.run == m_current; }) - m_lanes.begin();
    for (std::size_t i = 0; i < m_lanes.size(); ++i) { // the next ones first
        const QString& run = m_lanes[(static_cast<std::size_t>(at) + 1 + i) % m_lanes.size()].run;
        if (!wanted.contains(run)) wanted << run;
    }
    if (!m_frame.isEmpty()) m_pictures.want({size.width(), size.height(), first.x, first.y, step}, wanted);
    update();
}

void FrameView::finish() {
    m_pictures.finish();
}

QImage FrameView::pictureAsShown() {
    finish();
    return grab().toImage();
}

void FrameView::showRegion(const Region& r) {
    const Region::Bounds b = r.bounds();
    const double size = std::max({b.max.x - b.min.x, b.max.y - b.min.y, r.role == RegionRole::HaloStar ? 260.0 : 60.0});
    const QSizeF room = panes().front().picture.size();
    m_place.centre(r.centre(), std::clamp(0.55 * std::min(room.width(), room.height()) / size, 0.05, 6.0), room);
    viewMoved();
}

QRectF FrameView::curtainRoom() const {
    return m_mode == Mode::Curtain ? panes().front().picture : QRectF();
}

void FrameView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const QPointF press = event->position();
    m_hand = Hand{press};
    m_pressed = paneAt(press);
    m_candidate.clear();
    if (m_mode == Mode::Tiles && event->button() == Qt::LeftButton) setCurrent(m_pressed.run);
    if (event->button() == Qt::LeftButton && !m_tool.kind() && edgeGrip().contains(press)) {
        m_drag = Drag::Edge;
        return;
    }
    if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && !m_tool.kind())) {
        m_handle = -1;
        if (event->button() == Qt::LeftButton) {
            const Region* chosen = m_showRegions ? region(m_selected) : nullptr;
            if (chosen)
                for (const RegionHandle& h : regionHandles(*chosen, transformIn(m_pressed))) {
                    if (std::hypot(h.at.x() - press.x(), h.at.y() - press.y()) > 8) continue;
                    m_handle = h.index;
                    m_edited = *chosen;
                    m_drag = Drag::Region;
                    return;
                }
            const Region* hit = regionAt(press);
            if (hit && chosen && hit->id == chosen->id) {
                m_edited = *hit;
                m_drag = Drag::Region;
                return;
            }
            if (hit) m_candidate = QString::fromStdString(hit->id); // a drag moves the picture; only a click chooses
        }
        m_drag = Drag::Pan;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (event->button() == Qt::RightButton && m_tool.kind()) {
        emit toolDone();
        return;
    }
    if (event->button() != Qt::LeftButton || m_lanes.empty()) return;
    m_drag = Drag::Draw;
    m_tool.press(toFrame(press));
    update();
}

void FrameView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    const Point p = toFrame(at);
    const bool inside = p.x > -0.5 && p.y > -0.5 && p.x < m_frame.width() - 0.5 && p.y < m_frame.height() - 0.5;
    emit hovered(p, inside && !m_lanes.empty());
    switch (m_drag) {
    case Drag::Pan:
        if (const QPointF step = m_hand->to(at); m_hand->moved) moveBy(step);
        break;
    case Drag::Region:
        if (const Region* original = region(QString::fromStdString(m_edited->id))) {
            m_hand->to(at);
            const Point from = toFrame(m_hand->from);
            m_edited = regionDragged(*original, m_handle, p, {p.x - from.x, p.y - from.y});
        }
        update();
        break;
    case Drag::Draw:
        m_hand->to(at);
        m_tool.move(p, true);
        update();
        break;
    case Drag::Edge:
        drawEdgeTo(at);
        break;
    case Drag::None:
        if (!m_tool.outline().empty()) {
            m_tool.move(p, false);
            update();
        } else if (!m_tool.kind()) {
            setCursor(edgeGrip().contains(at) ? Qt::SplitHCursor : Qt::ArrowCursor);
        }
    }
}

void FrameView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag drag = m_drag;
    const Point p = toFrame(event->position());
    m_drag = Drag::None;
    setCursor(m_tool.kind() ? Qt::CrossCursor : Qt::ArrowCursor);
    const bool moved = m_hand && m_hand->moved;
    m_hand.reset();
    if (drag == Drag::Pan && !moved && event->button() == Qt::LeftButton) select(m_candidate);
    if (drag == Drag::Region && m_edited) {
        const Region changed = *m_edited;
        m_edited.reset();
        if (moved) emit regionChanged(changed);
    } else if (drag == Drag::Draw) {
        if (const auto drawn = m_tool.release(p, moved, 0.04 * m_frame.width())) {
            emit regionDrawn(*drawn);
            emit toolDone();
        }
    }
    update();
}

void FrameView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (m_tool.kind()) {
        if (const auto drawn = m_tool.close()) {
            emit regionDrawn(*drawn);
            emit toolDone();
        }
        return;
    }
    if (const Region* r = regionAt(event->position()))
        emit renameAsked(QString::fromStdString(r->id));
    else if (m_mode == Mode::Tiles)
        setMode(Mode::One);
}

void FrameView::contextMenuEvent(QContextMenuEvent* event) {
    if (m_tool.kind() || m_lanes.empty()) return;
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const Region* r = byKey ? region(m_selected) : regionAt(event->pos());
    if (r) select(QString::fromStdString(r->id));
    emit menuAsked(r ? QString::fromStdString(r->id) : QString(), toFrame(byKey ? QPointF(rect().center()) : QPointF(event->pos())), event->globalPos());
}

void FrameView::nudge(double dx, double dy) {
    if (const Region* chosen = region(m_selected)) emit regionChanged(regionDragged(*chosen, -1, {}, {dx, dy}));
}

void FrameView::keyPressEvent(QKeyEvent* event) {
    const bool chosen = region(m_selected) != nullptr, shift = event->modifiers() & Qt::ShiftModifier;
    const double step = shift ? 10 : 1;
    const int side = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (side != 0 && m_mode == Mode::Curtain && shift && !chosen) return setEdge(edge() + side * kEdgeStep);
    if (side != 0) return chosen ? nudge(side * step, 0) : flip(side);
    switch (event->key()) {
    case Qt::Key_Up:
        return nudge(0, -step);
    case Qt::Key_Down:
        return nudge(0, step);
    case Qt::Key_Return:
        if (m_tool.kind() && !m_tool.outline().empty()) {
            if (const auto drawn = m_tool.close()) emit regionDrawn(*drawn);
            emit toolDone();
            return;
        }
        break;
    case Qt::Key_Escape:
        if (m_tool.kind())
            emit toolDone();
        else
            select({});
        return;
    default:
        break;
    }
    QWidget::keyPressEvent(event);
}

bool FrameView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const Pane pane = paneAt(help->pos());
        if (const Region* r = regionAt(help->pos())) {
            QToolTip::showText(help->globalPos(), regionText(*r), this);
        } else if (const ViewLane* l = lane(pane.run); l && pane.caption.contains(help->pos())) {
            QToolTip::showText(help->globalPos(), QStringList({l->label, m_note, l->note}).join("\n").trimmed(), this);
        } else {
            QToolTip::hideText();
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen
