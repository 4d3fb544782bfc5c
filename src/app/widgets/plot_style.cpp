#include "app/widgets/plot_style.h"

#include "app/widgets/theme.h"

#include <qcustomplot.h>

namespace caelumen {

void stylePlot(QCustomPlot& plot) {
    const Theme& t = theme();
    plot.setBackground(QBrush(t.plot));
    QFont font = plot.font();
    font.setPixelSize(letters(11));
    for (QCPAxis* axis : {plot.xAxis, plot.yAxis}) {
        axis->setBasePen(QPen(t.line));
        axis->setTickPen(QPen(t.line));
        axis->setSubTickPen(QPen(t.line));
        axis->setTickLabelColor(t.dim);
        axis->setLabelColor(t.dim);
        axis->setLabelFont(font);
        axis->setTickLabelFont(font);
        QColor grid = t.line;
        grid.setAlpha(90);
        axis->grid()->setPen(QPen(grid, 1, Qt::DotLine));
        axis->grid()->setZeroLinePen(QPen(t.line));
        axis->setScaleType(QCPAxis::stLinear);
        axis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
        axis->setNumberFormat("g");
        axis->setNumberPrecision(4);
        axis->ticker()->setTickCount(4);
    }
    plot.legend->setBrush(Qt::NoBrush);
    plot.legend->setBorderPen(Qt::NoPen);
    plot.legend->setTextColor(t.text);
    plot.legend->setFont(font);
}

void legendAbove(QCustomPlot& plot) {
    plot.plotLayout()->insertRow(0);
    plot.plotLayout()->addElement(0, 0, plot.legend);
    plot.plotLayout()->setRowStretchFactor(0, 0.001);
    plot.legend->setFillOrder(QCPLayoutGrid::foColumnsFirst);
    plot.legend->setWrap(3);
    plot.legend->setVisible(true);
}

} // namespace caelumen
