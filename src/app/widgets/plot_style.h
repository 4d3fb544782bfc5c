#pragma once

class QCustomPlot;

namespace caelumen {

/// A plot in the colours of the theme, with plain axes.
void stylePlot(QCustomPlot& plot);

/// Names stand above the plot, so that they hide nothing of it.
void legendAbove(QCustomPlot& plot);

} // namespace caelumen
