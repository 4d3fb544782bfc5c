#pragma once

#include "core/model/region.h"

#include <QPainter>
#include <QTransform>

namespace caelumen {

/// How regions look on a picture, and where they can be taken hold of. Regions are told apart by line style and tag, not by colour.
struct RegionHandle {
    int index = -1; ///< which handle; -1 is the body
    QPointF at;     ///< view pixels
};

void drawRegion(QPainter& painter, const Region& region, const QTransform& view, const QColor& colour, bool selected);
std::vector<RegionHandle> regionHandles(const Region& region, const QTransform& view);
/// Whether a view point lies on the region (for a star: within its mark).
bool regionHit(const Region& region, const QTransform& view, QPointF at);
/// The region after its handle was dragged to a point (baseline pixels); a handle of -1 moves the whole by `delta`.
Region regionDragged(const Region& region, int handle, Point to, Point delta);
/// A sentence for tool tips: "N1 nebula, circle of 40 px radius".
QString regionText(const Region& region);

} // namespace caelumen
