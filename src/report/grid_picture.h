#pragma once

#include "core/grid/grid.h"
#include "report/filter_style.h"
#include "report/number_text.h"

#include <QByteArray>
#include <QColor>
#include <QImage>
#include <QRectF>
#include <QString>

class QPainter;

namespace caelumen {

/// Filters by skies, as they are drawn on screen, on pages and into files.
struct GridPicture {
    struct Row {
        QString filter, name;
        FilterStyle style;
    };
    std::vector<Row> rows;
    std::vector<GridSky> columns;
    std::vector<QString> places; ///< by column: places that have such a sky; may be empty
    std::vector<GridCell> cells; ///< row by row
    GridQuantity quantity = GridQuantity::TimeRatio;
    QString title;
    int frontier = -1; ///< column from which on a filter is sure to beat the baseline; -1: none

    const GridCell* at(int row, int column) const;
};

struct GridColours {
    QColor ground, text, dim, line, accent, warn;
};
GridColours paperColours();

/// What a cell says.
QString cellText(const GridCell& cell, GridQuantity quantity);

/// Where things lie in a picture of that size.
struct GridLayout {
    QRectF body; ///< of all cells
    double rowHeight = 0, columnWidth = 0, font = 12;
    QRectF cell(int row, int column) const;
    QRectF label(int row) const;
    QRectF header(int column) const;
};
/// `font` in pixels. Rows shrink to no less than two lines of text.
GridLayout layGrid(const GridPicture& picture, const QSizeF& size, double font);
QSizeF leastGridSize(const GridPicture& picture, double font);

/// Measured cells are filled, scaled ones hatched, modelled ones outlined, empty ones a dash. `selected`: index of a cell, or -1.
void paintGrid(QPainter& painter, const GridPicture& picture, const GridLayout& layout, const GridColours& colours, int selected = -1);

QByteArray gridSvg(const GridPicture& picture);
QImage gridImage(const GridPicture& picture, double scale = 2);

} // namespace caelumen
