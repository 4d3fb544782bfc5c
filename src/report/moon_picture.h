#pragma once

#include <QColor>
#include <QPainter>

namespace caelumen {

/// Draws the moon's disc as it is lit (0..1), bright limb to the right while waxing (as seen from the north; to the left from the south), inside `box`.
void drawMoon(QPainter& painter, const QRectF& box, double illuminated, bool waxing, bool south, const QColor& lit, const QColor& dark);

} // namespace caelumen
