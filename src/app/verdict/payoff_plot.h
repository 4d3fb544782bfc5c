#pragma once

#include "report/plots.h"

#include <QString>
#include <QWidget>

class QCustomPlot;

namespace caelumen {

/// When a filter has paid: what an hour that it saved has cost, by how many years it was used; a band for the error of the hours.
class PayoffPlot : public QWidget {
    Q_OBJECT

public:
    explicit PayoffPlot(QWidget* parent = nullptr);
    /// Those that save no hours that can be told are named under the plot.
    void show(const std::vector<PayoffLine>& lines, const QString& owned);
    QCustomPlot& plot() { return *m_plot; }

private:
    QCustomPlot* m_plot;
    class QLabel* m_rest;
};

} // namespace caelumen
