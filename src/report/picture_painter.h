#pragma once

#include "core/picture/stretch.h"
#include "core/stars/alignment.h"

#include <QCache>
#include <QImage>
#include <QPainter>
#include <QTransform>

#include <memory>

namespace caelumen {

/// Paints one run's picture on the baseline's grid. Keeps finished tiles, so that panning and flipping draw ready images.
class PicturePainter {
public:
    explicit PicturePainter(std::shared_ptr<const PicturePyramid> pyramid);

    void setAlignment(const Alignment& baselineToRun);
    void setStretch(const Stretch& stretch, PictureTint tint);
    const PicturePyramid& pyramid() const { return *m_pyramid; }

    /// `view` maps the baseline's stored pixels to the painter's; `clip` is the area to fill, in the painter's pixels.
    void paint(QPainter& painter, const QTransform& view, const QRectF& clip);

    /// Memory that all finished tiles may take, bytes.
    void setCacheLimit(int bytes) { m_tiles.setMaxCost(bytes); }

private:
    QImage* tile(int level, int tx, int ty);
    std::shared_ptr<const PicturePyramid> m_pyramid;
    QTransform m_toBaseline; ///< run stored pixels to baseline
    Stretch m_stretch;
    StretchTable m_table; ///< made when first painted, so that a slider pays for the run in sight only
    bool m_tableCurrent = false, m_stretched = false;
    PictureTint m_tint = PictureTint::Natural;
    QCache<quint64, QImage> m_tiles;
};

/// A run's picture on the baseline's grid at `width` pixels, for reports.
QImage renderPicture(const std::shared_ptr<const PicturePyramid>& pyramid, const Alignment& alignment, const Stretch& stretch, QSize frame, int width);

} // namespace caelumen
