#pragma once

class QCustomPlot;

namespace caelumen {

/// A plot in the colours of the theme, with plain axes.
void stylePlot(QCustomPlot& plot);

} // namespace caelumen
