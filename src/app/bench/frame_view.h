#pragma once

#include "app/bench/region_tool.h"
#include "app/bench/view_pictures.h"
#include "app/widgets/picture_view.h"
#include "core/measure/star_mask.h"
#include "report/filter_style.h"

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
    std::shared_ptr<const PicturePyramid> picture; ///< null while it loads, or where it cannot
    Showing showing = {};
    Alignment alignment = {}; ///< from the baseline
    Stretch stretch = {};
    QString note = {};    ///< how it was laid on the baseline
    QString missing = {}; ///< why there is no picture
    bool baseline = false;
};

/// What a figure was read from, drawn on the picture of one run. Baseline pixels.
struct ViewMarks {
    std::vector<StarDisc> masked;
    std::vector<StarDisc> rings; ///< of a halo
    std::vector<Point> stars;
    struct Arrow {
        Point from, to;
        QString tag;
    };
    std::vector<Arrow> arrows;
};

/// Shows the aligned pictures of all runs on the baseline's grid: one that is flipped, two with a curtain between them, or all side by side, as they are or as
/// their ratio to the baseline. Pans with the mouse, zooms with the wheel about the cursor. Regions are drawn, moved and resized here; what becomes of them is
/// told by signals. Pixels are made elsewhere (ViewPictures).
class FrameView : public PictureView {
    Q_OBJECT

public:
    enum class Mode { One, Curtain, Tiles };

    explicit FrameView(QWidget* parent = nullptr);

    void setLanes(std::vector<ViewLane> lanes, QSize frame);
    const std::vector<ViewLane>& lanes() const { return m_lanes; }
    void setCurrent(const QString& run);
    QString current() const { return m_current; }
    void flip(int by); ///< to the lane so many further
    void setBaselineHeld(bool held);
    QString shown() const; ///< the current one, or the baseline while its key is held
    void setMode(Mode mode);
    Mode mode() const { return m_mode; }
    void setBehind(const QString& run); ///< left of the curtain
    QString behind() const;
    void setRatio(bool on);
    bool ratio() const { return m_ratio; }

    void setRegions(const std::vector<Region>& regions);
    void setStretchNote(const QString& note);
    void setMarks(std::map<QString, ViewMarks> marks); ///< by run; empty: none
    void setShowRegions(bool show);
    void setTool(std::optional<RegionKind> kind); ///< nothing: look and move
    const std::optional<RegionKind>& tool() const { return m_tool.kind(); }
    void select(const QString& region);
    QString selected() const { return m_selected; }
    void themeChanged();

    void fitFrame() { fit(); }
    double zoom() const { return m_place.zoom(); }
    void showRegion(const Region& region);
    /// Baseline stored pixels to view pixels, where the current picture is.
    QTransform transform() const;
    Point toFrame(QPointF view) const;
    QRectF pictureOf(const QString& run) const; ///< where it is painted; empty where it is not
    void finish();                              ///< waits until every picture in sight is made
    QImage pictureAsShown();                    ///< to be copied

signals:
    void flipped(const QString& run);
    void regionSelected(const QString& id);
    void regionChanged(const caelumen::Region& region); ///< moved or resized, at the end of the drag
    void regionDrawn(const caelumen::Region& region);   ///< without an id
    void renameAsked(const QString& id);
    void menuAsked(const QString& region, const caelumen::Point& frame, const QPoint& global); ///< region: the one under the mouse, or none
    void toolDone();
    void modeChanged();
    void hovered(const caelumen::Point& frame, bool inside);

protected:
    void paintEvent(QPaintEvent* event) override;
    QSizeF pictureSize() const override { return m_lanes.empty() ? QSizeF() : QSizeF(m_frame); }
    QRectF roomAt(QPointF at) const override { return paneAt(at).picture; }
    QRectF curtainRoom() const override;
    void placeMoved() override { viewMoved(); }
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Pane {
        QString run;
        QRectF caption, picture;
    };
    std::vector<Pane> panes() const;
    Pane paneAt(QPointF at) const;
    const ViewLane* lane(const QString& run) const;
    const Region* region(const QString& id) const;
    const Region* regionAt(QPointF at) const;
    QTransform transformIn(const Pane& pane) const;
    void relay(); ///< lanes have changed: what is shown of them
    void viewMoved();
    void nudge(double dx, double dy);

    void paintPicture(QPainter& painter, const QString& run, const QRectF& room);
    void paintMarks(QPainter& painter, const ViewMarks& marks, const QTransform& view, const QRectF& room);
    void paintRegions(QPainter& painter, const QTransform& view, bool active);
    void paintCaption(QPainter& painter, const QString& run, const QRectF& place, Qt::Alignment side);
    void paintScale(QPainter& painter, const QRectF& room);
    void paintEmpty(QPainter& painter, const ViewLane* shown, const QRectF& room);

    std::vector<ViewLane> m_lanes;
    QSize m_frame;
    QString m_current, m_behind, m_selected, m_note;
    Mode m_mode = Mode::One;
    bool m_ratio = false, m_held = false, m_showRegions = true;
    std::vector<Region> m_regions;
    std::map<QString, ViewMarks> m_marks;
    ViewPictures m_pictures;

    enum class Drag { None, Pan, Region, Draw, Edge } m_drag = Drag::None;
    Pane m_pressed; ///< the pane of a drag
    QString m_candidate;
    int m_handle = -1;
    std::optional<Region> m_edited; ///< as it looks during a drag
    RegionTool m_tool;
};

} // namespace caelumen
