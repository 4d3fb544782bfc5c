#pragma once

#include <QImage>
#include <QWidget>

#include <vector>

namespace caelumen {

/// Pictures of several filters side by side, or one alone that is flipped through. A click on a tile makes it large, another brings all back; while Space is
/// held the first is shown in place of the one alone.
class PaletteView : public QWidget {
    Q_OBJECT

public:
    struct Tile {
        QString name, under; ///< what stands below the picture
        QImage image;        ///< null: `under` says why
    };
    explicit PaletteView(QWidget* parent = nullptr);
    void show(std::vector<Tile> tiles);
    const std::vector<Tile>& tiles() const { return m_tiles; }
    int alone() const { return m_alone; } ///< -1: all side by side
    void setAlone(int tile);
    bool showsFirst() const { return m_first; }
    QRectF placeOf(int tile) const;

signals:
    void aloneChanged(int tile);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    void paintTile(QPainter& painter, const Tile& tile, const QRectF& place) const;
    std::vector<Tile> m_tiles;
    int m_alone = -1;
    bool m_first = false;
};

} // namespace caelumen
