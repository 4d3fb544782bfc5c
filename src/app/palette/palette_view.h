#pragma once

#include "app/widgets/picture_view.h"
#include "report/filter_style.h"

#include <QImage>

#include <functional>
#include <map>
#include <optional>
#include <vector>

namespace caelumen {

/// Pictures of several filters side by side, one alone that is flipped through, or two with a curtain between them; as a whole or pixel by pixel, always the
/// same place of the sky in all. Pixels are asked for when they are painted, at the size that the screen shows.
class PaletteView : public PictureView {
    Q_OBJECT

public:
    struct Tile {
        QString name, under; ///< what stands below the picture; without a picture `under` says why
        QSize size;          ///< of the whole picture; empty: there is none
        std::optional<FilterStyle> style = {};
    };
    struct Source {
        std::function<QImage(int tile, QSize room)> whole;
        std::function<QImage(int tile, const QRect& part)> part;
    };
    enum class Zoom { Whole, Pixels, Print };

    explicit PaletteView(Source source, QWidget* parent = nullptr);
    void show(std::vector<Tile> tiles); ///< their pixels may have changed too
    const std::vector<Tile>& tiles() const { return m_tiles; }
    int alone() const { return m_alone; } ///< -1: all side by side
    void setAlone(int tile);
    bool showsFirst() const { return m_first; }
    bool curtain() const { return m_curtain; }
    void setCurtain(bool on);
    int behind() const { return m_behind; } ///< the picture left of the curtain's edge
    Zoom zoom() const { return m_zoom; }
    void setZoom(Zoom zoom);
    void setPrintDpi(int dpi);
    QPointF middle() const { return m_middle; } ///< of what is shown when zoomed, parts of the picture
    void setMiddle(QPointF middle);
    QRectF placeOf(int tile) const;   ///< with its label
    QRectF pictureOf(int tile) const; ///< of its pixels on the screen
    QImage shown();                   ///< as it is painted, to be copied

signals:
    void aloneChanged(int tile);
    void viewChanged(); ///< curtain or zoom

protected:
    QSizeF pictureSize() const override;
    QRectF curtainRoom() const override { return m_curtain && m_alone >= 0 ? pictureOf(m_alone) : QRectF(); }
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent*) override { update(); }
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    /// Pixels of the screen for one of the picture, in both zooms.
    double perPixel() const;
    int tileAt(QPointF at) const;
    void zoomAt(Zoom zoom, QPointF at);
    void paintTile(QPainter& painter, int tile, const QRectF& picture);
    void paintPixels(QPainter& painter, int tile, const QRectF& picture);
    void paintCurtain(QPainter& painter, int tile);
    void paintLabel(QPainter& painter, const Tile& tile, const QRectF& picture, Qt::Alignment side) const;
    const QImage& pixels(int tile, const QRect& part, QSize room);

    Source m_source;
    std::vector<Tile> m_tiles;
    int m_alone = -1, m_beforeClick = -1, m_behind = 0, m_dpi = 300;
    bool m_first = false, m_curtain = false;
    Zoom m_zoom = Zoom::Whole;
    QPointF m_middle{0.5, 0.5};
    struct Held {
        QPointF middle;
        int tile = -1;
        bool edge = false;
    };
    Held m_held; ///< what a hand took hold of
    struct Kept {
        QRect part;
        QSize room;
        QImage image;
    };
    std::map<int, Kept> m_kept; ///< what was painted last of each tile
};

} // namespace caelumen
