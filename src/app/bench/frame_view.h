#pragma once

#include "core/measure/star_mask.h"
#include "report/filter_style.h"
#include "report/picture_painter.h"

#include <QWidget>

#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace caelumen {

/// One picture that can be flipped to.
struct ViewLane {
    QString run, label;
    FilterStyle style;
    std::shared_ptr<PicturePainter> picture; ///< null while it loads, or where it cannot
    QString missing = {};                    ///< why it cannot
};

/// Shows the aligned pictures of all runs on the baseline's grid, one at a time, with the regions on them. Pans with the mouse, zooms with the wheel about the
/// cursor, flips by key. Regions are drawn, moved and resized here; what becomes of them is told by signals.
class FrameView : public QWidget {
    Q_OBJECT

public:
    enum class Tool { Look, Nebula, NebulaOutline, Sky, HaloStar };

    explicit FrameView(QWidget* parent = nullptr);

    void setLanes(std::vector<ViewLane> lanes, QSize frame);
    void setCurrent(const QString& run);
    QString current() const { return m_current; }
    void setRegions(const std::vector<Region>& regions);
    void setStretchNote(const QString& note);            ///< printed on the picture
    void setOverlay(const std::vector<StarDisc>& discs); ///< masked stars, shown while a figure is inspected; empty: none
    void setShowRegions(bool show);
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }
    void select(const QString& region);
    QString selected() const { return m_selected; }
    void picturesChanged(); ///< stretch or tint changed: draw anew

    void fitFrame();
    void zoomTo(double zoom, QPointF about); ///< view pixels per stored pixel
    double zoom() const { return m_zoom; }
    void showRegion(const Region& region);
    /// Baseline stored pixels to view pixels.
    QTransform transform() const;
    Point toFrame(QPointF view) const;

signals:
    void flipped(const QString& run);
    void regionSelected(const QString& id);
    void regionChanged(const caelumen::Region& region); ///< moved or resized, at the end of the drag
    void regionDrawn(const caelumen::Region& region);   ///< without an id
    void renameAsked(const QString& id);
    void toolDone();
    void hovered(const caelumen::Point& frame, bool inside);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    const ViewLane* lane(const QString& run) const;
    const Region* region(const QString& id) const;
    const QImage& composed(const ViewLane& lane);
    void viewMoved();

    std::vector<ViewLane> m_lanes;
    QSize m_frame;
    QString m_current, m_selected, m_note;
    std::vector<Region> m_regions;
    std::vector<StarDisc> m_overlay;
    bool m_showRegions = true, m_fitted = true;
    Tool m_tool = Tool::Look;
    double m_zoom = 1;
    QPointF m_origin; ///< view position of the frame's first pixel centre
    std::map<QString, QImage> m_composed;

    enum class Drag { None, Pan, Region, Draw } m_drag = Drag::None;
    QPointF m_press, m_last;
    int m_handle = -1;
    std::optional<Region> m_edited; ///< as it looks during a drag
    std::vector<Point> m_outline;   ///< of a polygon being drawn
};

} // namespace caelumen
