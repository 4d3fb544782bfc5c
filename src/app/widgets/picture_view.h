#pragma once

#include "app/widgets/hand.h"
#include "app/widgets/pan_zoom.h"

#include <QWidget>

#include <optional>

namespace caelumen {

/// What all views of pictures share: the wheel magnifies about the cursor, a hand moves the picture, a fitted one stays fitted when the room changes, and a
/// curtain between two pictures has an edge that is drawn aside.
class PictureView : public QWidget {
    Q_OBJECT

public:
    explicit PictureView(QWidget* parent = nullptr);
    const PanZoom& place() const { return m_place; }
    void fit();
    void zoomTo(double zoom, QPointF about); ///< view pixels per picture pixel; `about` in view pixels
    double edge() const { return m_edge; }   ///< of the curtain, part of its width
    void setEdge(double part);

protected:
    virtual QSizeF pictureSize() const = 0;
    virtual QRectF roomAt(QPointF at) const; ///< where the picture under a place of the view is painted; the whole view unless there are several
    virtual QRectF curtainRoom() const { return {}; }
    virtual void placeMoved() { update(); }
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

    QRectF edgeGrip() const; ///< where the curtain's edge is taken hold of; empty without a curtain
    void drawEdgeTo(QPointF at);
    void moveBy(QPointF step); ///< something of the picture stays in the room's middle

    PanZoom m_place;
    std::optional<Hand> m_hand;

private:
    double m_edge = 0.5;
};

/// The columns that make `n` pictures of one shape (width over height) largest, each with a caption so high.
int columnsFor(int n, QSizeF room, double aspect, double caption);

} // namespace caelumen
