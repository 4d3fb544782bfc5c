#include "app/widgets/picture_view.h"

#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kGrip = 7, kPerStep = 1.0017; ///< of the wheel's eighths of a degree

} // namespace

PictureView::PictureView(QWidget* parent)
    : QWidget(parent) {}

QRectF PictureView::roomAt(QPointF) const {
    return rect();
}

void PictureView::fit() {
    m_place.fit(pictureSize(), roomAt({}).size());
    placeMoved();
}

void PictureView::zoomTo(double zoom, QPointF about) {
    m_place.zoomTo(zoom, about - roomAt(about).topLeft());
    placeMoved();
}

void PictureView::moveBy(QPointF step) {
    m_place.moveBy(step);
    m_place.keepIn(pictureSize(), roomAt({}).size());
    placeMoved();
}

void PictureView::setEdge(double part) {
    m_edge = std::clamp(part, 0.0, 1.0);
    update();
}

QRectF PictureView::edgeGrip() const {
    const QRectF room = curtainRoom();
    if (room.isEmpty()) return {};
    return {room.left() + m_edge * room.width() - kGrip, room.top(), 2 * kGrip, room.height()};
}

void PictureView::drawEdgeTo(QPointF at) {
    const QRectF room = curtainRoom();
    setEdge((at.x() - room.left()) / room.width());
}

void PictureView::resizeEvent(QResizeEvent*) {
    if (m_place.fitted())
        fit();
    else
        placeMoved();
}

void PictureView::wheelEvent(QWheelEvent* event) {
    if (pictureSize().isEmpty()) return;
    zoomTo(m_place.zoom() * std::pow(kPerStep, event->angleDelta().y()), event->position());
    event->accept();
}

int columnsFor(int n, QSizeF room, double aspect, double caption) {
    int columns = 1;
    double best = 0;
    for (int c = 1; c <= n; ++c) {
        const int rows = (n + c - 1) / c;
        if (const double size = std::min(room.width() / c, aspect * (room.height() / rows - caption)); size > best) best = size, columns = c;
    }
    return columns;
}

} // namespace caelumen
