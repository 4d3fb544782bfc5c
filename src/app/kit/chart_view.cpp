#include "app/kit/chart_view.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <utility>

namespace caelumen {
namespace {

constexpr double kGrip = 7; ///< widget pixels within which a mark or point is taken hold of
constexpr std::array kNames{"\u03BB1", "\u03BB2", "T1", "T2"};

} // namespace

ChartView::ChartView(QWidget* parent)
    : PictureView(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(420, 320);
    setAccessibleName(tr("Picture of the chart"));
}

void ChartView::setPicture(const QImage& picture) {
    m_picture = picture;
    fit();
}

void ChartView::setMarks(const ChartMarks& marks) {
    m_marks = marks;
    if (m_chosen >= static_cast<int>(marks.points.size())) m_chosen = -1;
    update();
}

QRectF ChartView::roomAt(QPointF) const {
    return QRectF(rect()).adjusted(8, 8, -8, -8);
}

QPointF ChartView::toWidget(ChartPoint p) const {
    return m_place.transform().map(QPointF(p.x, p.y)) + roomAt({}).topLeft();
}

ChartPoint ChartView::toPicture(QPointF p) const {
    const Point at = m_place.toPicture(p - roomAt({}).topLeft());
    return {at.x, at.y};
}

std::pair<ChartView::Grip, int> ChartView::gripAt(QPointF p) const {
    std::pair<Grip, int> best{Grip::None, -1};
    double closest = kGrip;
    const auto offer = [&](Grip grip, int i, ChartPoint at) {
        const QPointF d = toWidget(at) - p;
        if (const double away = std::hypot(d.x(), d.y()); away < closest) {
            closest = away;
            best = {grip, i};
        }
    };
    for (int i = 0; i < 4; ++i)
        if (const auto& m = m_marks.axes[static_cast<std::size_t>(i)]) offer(Grip::Mark, i, *m);
    for (std::size_t i = 0; i < m_marks.points.size(); ++i) offer(Grip::Point, static_cast<int>(i), m_marks.points[i]);
    return best;
}

void ChartView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme().plot);
    if (m_picture.isNull()) return;
    painter.setRenderHint(QPainter::SmoothPixmapTransform, m_place.zoom() < 3);
    painter.drawImage(QRectF(toWidget({-0.5, -0.5}), m_place.zoom() * QSizeF(m_picture.size())), m_picture);
    if (theme().isRed()) { // white paper would spoil adapted eyes
        painter.setCompositionMode(QPainter::CompositionMode_Multiply);
        painter.fillRect(rect(), QColor(150, 0, 0));
        painter.setCompositionMode(QPainter::CompositionMode_SourceOver);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const QColor ink = theme().isRed() ? QColor(255, 60, 60) : QColor(0, 120, 220), halo(255, 255, 255, theme().isRed() ? 0 : 200);
    QPolygonF line;
    for (const ChartPoint& p : m_marks.points) line << toWidget(p);
    for (const auto& [colour, width] : {std::pair{halo, 3.5}, std::pair{ink, 1.4}}) {
        painter.setPen(QPen(colour, width));
        painter.drawPolyline(line);
    }
    for (int i = 0; i < line.size(); ++i) {
        painter.setPen(QPen(ink, 1.2));
        painter.setBrush(i == m_chosen ? ink : halo);
        painter.drawEllipse(line[i], i == m_chosen ? 4 : 2.2, i == m_chosen ? 4 : 2.2);
    }
    painter.setBrush(Qt::NoBrush);
    for (std::size_t i = 0; i < 4; ++i) {
        if (!m_marks.axes[i]) continue;
        const QPointF p = toWidget(*m_marks.axes[i]);
        for (const auto& [colour, width] : {std::pair{halo, 4.0}, std::pair{ink, 1.8}}) {
            painter.setPen(QPen(colour, width));
            painter.drawLine(p - QPointF(4, 0), p + QPointF(11, 0)); // short arms to where an axis has its numbers
            painter.drawLine(p - QPointF(0, 11), p + QPointF(0, 4));
        }
        painter.drawText(p + QPointF(i < 2 ? 5 : -22, i < 2 ? 20 : -6), QString::fromUtf8(kNames[i]));
    }
}

void ChartView::mousePressEvent(QMouseEvent* event) {
    m_hand = Hand{event->position()};
    m_panning = event->button() != Qt::LeftButton;
    if (m_panning) return;
    std::tie(m_grip, m_held) = gripAt(event->position());
    m_chosen = m_grip == Grip::Point ? m_held : -1;
    update();
    if (m_grip == Grip::None) emit clicked(toPicture(event->position()));
}

void ChartView::mouseMoveEvent(QMouseEvent* event) {
    const ChartPoint at = toPicture(event->position());
    if (!m_hand) {
        setCursor(gripAt(event->position()).first == Grip::None ? Qt::CrossCursor : Qt::SizeAllCursor);
    } else if (const QPointF step = m_hand->to(event->position()); m_panning) {
        moveBy(step);
    } else if (m_hand->moved) {
        if (m_grip == Grip::Mark) emit markMoved(m_held, at, false);
        if (m_grip == Grip::Point) emit pointMoved(m_held, at, false);
    }
    emit hovered(at);
}

void ChartView::mouseReleaseEvent(QMouseEvent* event) {
    const bool moved = m_hand && m_hand->moved;
    m_hand.reset();
    if (std::exchange(m_panning, false)) return;
    const ChartPoint at = toPicture(event->position());
    if (m_grip == Grip::Mark && moved)
        emit markMoved(m_held, at, true);
    else if (m_grip == Grip::Mark)
        emit clicked(at); // both axes often start at one corner
    if (m_grip == Grip::Point && moved) emit pointMoved(m_held, at, true);
    m_grip = Grip::None;
}

void ChartView::keyPressEvent(QKeyEvent* event) {
    if ((event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace) && m_chosen >= 0) {
        const int point = m_chosen;
        m_chosen = -1;
        emit pointRemoved(point);
    } else if (event->key() == Qt::Key_0) {
        fit();
    } else {
        QWidget::keyPressEvent(event);
    }
}

} // namespace caelumen
