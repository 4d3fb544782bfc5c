#pragma once

#include "report/grid_picture.h"

#include <QWidget>

namespace caelumen {

/// The grid as a map: filters down, classes of sky across. A click or the arrow keys choose a cell.
class GridMap : public QWidget {
    Q_OBJECT

public:
    explicit GridMap(QWidget* parent = nullptr);
    void show(GridPicture picture);
    void say(const QString& sentence); ///< instead of a grid
    const GridPicture& picture() const { return m_picture; }
    int selected() const { return m_selected; }
    void select(int cell);
    QRectF placeOf(int cell) const;

signals:
    void chosen(int cell);
    void opened(int cell); ///< double click, or Return

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    GridLayout lay() const;
    int at(QPointF p) const;
    GridPicture m_picture;
    QString m_sentence;
    int m_selected = -1;
};

/// Colours of a grid in the theme.
GridColours themeColours();

} // namespace caelumen
