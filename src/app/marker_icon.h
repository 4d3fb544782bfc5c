#pragma once

#include "report/filter_style.h"

#include <QIcon>
#include <QPainter>
#include <QPixmap>

namespace caelumen {

/// A filter's marker for lists.
inline QIcon markerIcon(const FilterStyle& style) {
    QPixmap pixmap(32, 32);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(16, 16);
    painter.fillPath(style.marker(10), style.colour);
    return pixmap;
}

} // namespace caelumen
