#pragma once

#include "core/base/point.h"

#include <QPointF>
#include <QSizeF>
#include <QTransform>

#include <algorithm>

namespace caelumen {

/// How a picture lies in a view: moved and magnified, never turned. The picture's pixel centres are at whole numbers; view points are in the view's own pixels.
class PanZoom {
public:
    double zoom() const { return m_zoom; } ///< view pixels per pixel of the picture
    bool fitted() const { return m_fitted; }
    QTransform transform() const { return {m_zoom, 0, 0, m_zoom, m_origin.x(), m_origin.y()}; }
    Point toPicture(QPointF view) const { return {(view.x() - m_origin.x()) / m_zoom, (view.y() - m_origin.y()) / m_zoom}; }

    /// The whole picture, as large as the room allows; stays so until it is moved.
    void fit(QSizeF picture, QSizeF room) {
        if (picture.isEmpty() || room.isEmpty()) return;
        m_zoom = std::min(room.width() / picture.width(), room.height() / picture.height());
        const QSizeF left = room - m_zoom * picture;
        m_origin = {left.width() / 2 + 0.5 * m_zoom, left.height() / 2 + 0.5 * m_zoom};
        m_fitted = true;
    }
    /// Magnifies about a point of the view, which stays where it is.
    void zoomTo(double zoom, QPointF about) {
        const Point fixed = toPicture(about);
        m_zoom = std::clamp(zoom, 0.02, 40.0);
        m_origin = {about.x() - fixed.x * m_zoom, about.y() - fixed.y * m_zoom};
        m_fitted = false;
    }
    void moveBy(QPointF view) {
        m_origin += view;
        m_fitted = false;
    }
    /// Moved back so far that the middle of the room lies on the picture.
    void keepIn(QSizeF picture, QSizeF room) {
        const Point middle = toPicture({room.width() / 2, room.height() / 2});
        const double x = std::clamp(middle.x, 0.0, std::max(0.0, picture.width() - 1)), y = std::clamp(middle.y, 0.0, std::max(0.0, picture.height() - 1));
        m_origin += QPointF(middle.x - x, middle.y - y) * m_zoom;
    }
    /// A place of the picture in the middle of the room.
    void centre(Point place, double zoom, QSizeF room) {
        m_zoom = std::clamp(zoom, 0.02, 40.0);
        m_origin = {room.width() / 2 - place.x * m_zoom, room.height() / 2 - place.y * m_zoom};
        m_fitted = false;
    }

private:
    double m_zoom = 1;
    QPointF m_origin; ///< view position of the picture's first pixel centre
    bool m_fitted = true;
};

} // namespace caelumen
