#include "app/bench/region_drawing.h"

#include <QObject>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kStarMark = 13; // view pixels

QPointF toView(const QTransform& view, Point p) {
    return view.map(QPointF(p.x, p.y));
}

QPainterPath outline(const Region& r, const QTransform& view) {
    QPainterPath path;
    switch (r.shape) {
    case RegionShape::Circle: {
        const double radius = r.radius * std::sqrt(std::abs(view.determinant()));
        path.addEllipse(toView(view, r.points.at(0)), radius, radius);
        break;
    }
    case RegionShape::Star:
        path.addEllipse(toView(view, r.points.at(0)), kStarMark, kStarMark);
        break;
    case RegionShape::Rect: {
        const Region::Bounds b = r.bounds();
        path.addRect(QRectF(toView(view, b.min), toView(view, b.max)).normalized());
        break;
    }
    case RegionShape::Polygon: {
        QPolygonF polygon;
        for (const Point& p : r.points) polygon << toView(view, p);
        path.addPolygon(polygon);
        path.closeSubpath();
    }
    }
    return path;
}

} // namespace

void drawRegion(QPainter& painter, const Region& r, const QTransform& view, const QColor& colour, bool selected) {
    const QPainterPath path = outline(r, view);
    const Qt::PenStyle style = r.role == RegionRole::Sky ? Qt::DashLine : r.role == RegionRole::HaloStar ? Qt::DotLine : Qt::SolidLine;
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    // A dark line under the light one keeps it readable on any picture.
    painter.setPen(QPen(QColor(0, 0, 0, 150), selected ? 4 : 3));
    painter.drawPath(path);
    painter.setPen(QPen(colour, selected ? 2.0 : 1.3, style));
    painter.drawPath(path);
    const QRectF box = path.boundingRect();
    QString tag = QString::fromStdString(r.id);
    if (!r.name.empty()) tag += " " + QString::fromStdString(r.name);
    if (r.guessed) tag += "?";
    QPointF at(box.right() + 4, box.top() + (r.role == RegionRole::HaloStar ? 4 : 10));
    if (painter.hasClipping()) { // a name is never cut by the edge of the picture
        const QRectF room = painter.clipBoundingRect();
        const double width = painter.fontMetrics().horizontalAdvance(tag) + 2;
        if (at.x() + width > room.right() && box.left() - width - 4 > room.left()) at.setX(box.left() - width - 4);
    }
    painter.setPen(QColor(0, 0, 0, 170));
    painter.drawText(at + QPointF(1, 1), tag);
    painter.setPen(colour);
    painter.drawText(at, tag);
    if (!selected) return;
    painter.setBrush(colour);
    painter.setPen(QPen(Qt::black, 1));
    for (const RegionHandle& h : regionHandles(r, view)) painter.drawRect(QRectF(h.at.x() - 3.5, h.at.y() - 3.5, 7, 7));
}

std::vector<RegionHandle> regionHandles(const Region& r, const QTransform& view) {
    std::vector<RegionHandle> out;
    if (r.shape == RegionShape::Circle) {
        const Point c = r.points.at(0);
        int i = 0;
        for (const Point d : {Point{r.radius, 0}, Point{0, r.radius}, Point{-r.radius, 0}, Point{0, -r.radius}})
            out.push_back({i++, toView(view, {c.x + d.x, c.y + d.y})});
    } else if (r.shape == RegionShape::Rect) {
        const Region::Bounds b = r.bounds();
        int i = 0;
        for (const Point p : {b.min, Point{b.max.x, b.min.y}, b.max, Point{b.min.x, b.max.y}}) out.push_back({i++, toView(view, p)});
    } else if (r.shape == RegionShape::Polygon) {
        for (std::size_t i = 0; i < r.points.size(); ++i) out.push_back({static_cast<int>(i), toView(view, r.points[i])});
    }
    return out;
}

bool regionHit(const Region& r, const QTransform& view, QPointF at) {
    return outline(r, view).contains(at);
}

Region regionDragged(const Region& region, int handle, Point to, Point delta) {
    Region r = region;
    r.guessed = false;
    if (handle < 0) {
        r.shift(delta.x, delta.y);
    } else if (r.shape == RegionShape::Circle) {
        r.radius = std::max(2.0, std::hypot(to.x - r.points[0].x, to.y - r.points[0].y));
    } else if (r.shape == RegionShape::Rect) {
        const Region::Bounds b = region.bounds();
        const std::array<Point, 4> opposite{b.max, Point{b.min.x, b.max.y}, b.min, Point{b.max.x, b.min.y}};
        const Point o = opposite[static_cast<std::size_t>(handle) % 4];
        r.points = {{std::min(o.x, to.x), std::min(o.y, to.y)}, {std::max(o.x, to.x), std::max(o.y, to.y)}};
    } else if (r.shape == RegionShape::Polygon) {
        r.points[static_cast<std::size_t>(handle)] = to;
    }
    return r;
}

QString regionText(const Region& r) {
    const QString role = r.role == RegionRole::Nebula ? QObject::tr("nebula") : r.role == RegionRole::Sky ? QObject::tr("sky") : QObject::tr("halo star");
    QString text = QString("%1 %2: %3").arg(QString::fromStdString(r.id), QString::fromStdString(r.name), role);
    if (r.guessed) text += QObject::tr(" (proposed by the program; drag or delete it to make it yours)");
    return text.simplified();
}

} // namespace caelumen
