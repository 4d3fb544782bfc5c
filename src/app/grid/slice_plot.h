#pragma once

#include "core/grid/grid.h"
#include "report/filter_style.h"

#include <QWidget>

class QCustomPlot;

namespace caelumen {

/// The same cells as lines: value against the brightness of the sky, each with its error, measured points filled.
class SlicePlot : public QWidget {
    Q_OBJECT

public:
    struct Line {
        QString name;
        FilterStyle style;
        std::vector<GridCell> cells;
        bool chosen = false;
    };
    struct Content {
        std::vector<Line> lines;
        GridQuantity quantity = GridQuantity::TimeRatio;
        QString title;
    };
    explicit SlicePlot(QWidget* parent = nullptr);
    void show(const Content& content);
    QCustomPlot& plot() { return *m_plot; }

private:
    QCustomPlot* m_plot;
};

} // namespace caelumen
