#pragma once

#include "report/filter_style.h"

#include <QColor>
#include <QPointF>
#include <QString>

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A plot as it is meant, whoever draws it: as SVG on pages (`plotSvg`), by the window in its own colours.
struct Plot {
    struct Series {
        QString name; ///< empty: it needs none
        QColor colour;
        std::vector<QPointF> points;
        std::vector<QPointF> band; ///< lower and upper end at each point; empty: none
        double width = 1.5;        ///< of the line; 0: none
        Qt::PenStyle pen = Qt::SolidLine;
        double dot = 0; ///< diameter of a dot at each point; 0: none
        std::optional<FilterStyle> style = {};
    };
    struct Mark {
        double x = 0; ///< all the plot's height
        QColor colour;
        Qt::PenStyle pen = Qt::DashLine;
    };
    QString title, xLabel, yLabel;
    QPointF low, high;        ///< what is shown
    bool logarithmic = false; ///< upwards
    std::vector<Series> series;
    std::vector<Mark> marks;
    bool empty() const { return series.empty(); }
};

/// Names stand where their lines end.
std::string plotSvg(const Plot& plot);

} // namespace caelumen
