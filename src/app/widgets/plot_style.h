#pragma once

class QCustomPlot;

namespace caelumen {

struct Plot;

/// A plot in the colours of the theme, with plain axes.
void stylePlot(QCustomPlot& plot);

/// Names stand above the plot, so that they hide nothing of it.
void legendAbove(QCustomPlot& plot);

/// Into a plot that is styled and empty: lines, bands, dots, marks, labels and ranges. Names go into the legend.
void drawPlot(QCustomPlot& plot, const Plot& content);

} // namespace caelumen
