#pragma once

#include <QRectF>

class QPainter;

namespace caelumen {

class NightModel;
struct Theme;

/// Where the parts of the night's picture lie.
struct NightLayout {
    QRectF sky, blocks, rates;
    double from = 0, to = 1; ///< seconds shown
    double x(double second) const { return sky.left() + (second - from) / (to - from) * sky.width(); }
    double second(double x) const { return from + (x - sky.left()) / sky.width() * (to - from); }
};

NightLayout nightLayout(const NightModel& model, const QRectF& where);

/// Draws the night of a model that is ready; `chosen`: index of the block that stands out, or -1.
void drawNight(QPainter& painter, const NightModel& model, const NightLayout& layout, const Theme& theme, int chosen);

} // namespace caelumen
