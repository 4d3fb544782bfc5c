#include "report/moon_picture.h"

#include <QPainterPath>

#include <cmath>

namespace caelumen {

void drawMoon(QPainter& painter, const QRectF& box, double illuminated, bool waxing, bool south, const QColor& lit, const QColor& dark) {
    const double r = std::min(box.width(), box.height()) / 2;
    const QPointF c = box.center();
    painter.save();
    painter.translate(c);
    if (waxing == south) painter.scale(-1, 1);
    painter.setPen(Qt::NoPen);
    painter.setBrush(dark);
    painter.drawEllipse(QPointF(0, 0), r, r);
    // The lit half and the terminator's half-ellipse.
    QPainterPath path;
    path.moveTo(0, -r);
    path.arcTo(QRectF(-r, -r, 2 * r, 2 * r), 90, -180);
    const double t = 2 * illuminated - 1; // -1 new, 1 full
    path.arcTo(QRectF(-r * std::abs(t), -r, 2 * r * std::abs(t), 2 * r), -90, t > 0 ? -180 : 180);
    painter.setBrush(lit);
    painter.drawPath(path);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(lit, 1));
    painter.drawEllipse(QPointF(0, 0), r, r);
    painter.restore();
}

} // namespace caelumen
