#pragma once

#include "core/verdict/verdict.h"
#include "report/filter_style.h"

#include <QString>
#include <QWidget>

class QCustomPlot;

namespace caelumen {

/// When a filter has paid: what an hour that it saved has cost, by how many years it was used; a band for the error of the hours.
class PayoffPlot : public QWidget {
    Q_OBJECT

public:
    struct Line {
        QString name;
        FilterStyle style;
        FilterValue value;
    };
    explicit PayoffPlot(QWidget* parent = nullptr);
    /// Those that save no hours that can be told are named under the plot.
    void show(const std::vector<Line>& lines, const QString& owned);
    QCustomPlot& plot() { return *m_plot; }

private:
    QCustomPlot* m_plot;
    class QLabel* m_rest;
};

} // namespace caelumen
