#include "app/kit/chart_view.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kGrip = 7; ///< widget pixels within which a mark or point is taken hold of
constexpr std::array kNames{"\u03BB1", "\u03BB2", "T1", "T2"};

} // namespace

ChartView::ChartView(QWidget* parent)
    : QWidget(parent) {
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

void ChartView::fit() {
    m_fitted = true;
    if (m_picture.isNull()) return;
    m_zoom = std::min((width() - 16.0) / m_picture.width(), (height() - 16.0) / m_picture.height());
    m_origin = {(width() - m_zoom * m_picture.width()) / 2, (height() - m_zoom * m_picture.height()) / 2};
    update();
}

QPointF ChartView::toWidget(ChartPoint p) const {
    return m_origin + m_zoom * QPointF(p.x + 0.5, p.y + 0.5);
}

ChartPoint ChartView::toPicture(QPointF p) const {
    const QPointF at = (p - m_origin) / m_zoom;
    return {at.x() - 0.5, at.y() - 0.5};
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
    painter.setRenderHint(QPainter::SmoothPixmapTransform, m_zoom < 3);
    painter.drawImage(QRectF(m_origin, m_zoom * QSizeF(m_picture.size())), m_picture);
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

void ChartView::resizeEvent(QResizeEvent*) {
    if (m_fitted) fit();
}

void ChartView::mousePressEvent(QMouseEvent* event) {
    m_pressed = event->position();
    if (event->button() != Qt::LeftButton) {
        m_panning = true;
        return;
    }
    std::tie(m_grip, m_held) = gripAt(m_pressed);
    m_chosen = m_grip == Grip::Point ? m_held : -1;
    update();
    if (m_grip == Grip::None) emit clicked(toPicture(m_pressed));
}

void ChartView::mouseMoveEvent(QMouseEvent* event) {
    if (m_panning) {
        m_origin += event->position() - m_pressed;
        m_pressed = event->position();
        m_fitted = false;
        update();
    } else if (event->buttons() & Qt::LeftButton) {
        if (m_grip == Grip::Mark) emit markMoved(m_held, toPicture(event->position()), false);
        if (m_grip == Grip::Point) emit pointMoved(m_held, toPicture(event->position()), false);
    } else {
        setCursor(gripAt(event->position()).first == Grip::None ? Qt::CrossCursor : Qt::SizeAllCursor);
    }
    emit hovered(toPicture(event->position()));
}

void ChartView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) {
        m_panning = false;
        return;
    }
    const bool moved = event->position() != m_pressed;
    if (m_grip == Grip::Mark && moved)
        emit markMoved(m_held, toPicture(event->position()), true);
    else if (m_grip == Grip::Mark)
        emit clicked(toPicture(event->position())); // both axes often start at one corner
    if (m_grip == Grip::Point && moved) emit pointMoved(m_held, toPicture(event->position()), true);
    m_grip = Grip::None;
}

void ChartView::wheelEvent(QWheelEvent* event) {
    const double factor = std::pow(1.2, event->angleDelta().y() / 120.0), zoom = std::clamp(m_zoom * factor, 0.02, 40.0);
    m_origin = event->position() - (event->position() - m_origin) * (zoom / m_zoom);
    m_zoom = zoom;
    m_fitted = false;
    update();
    event->accept();
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
