#include "app/widgets/plot_style.h"

#include "app/widgets/theme.h"
#include "report/plot.h"

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

namespace {

void drawBand(QCustomPlot& plot, const Plot::Series& s) {
    auto *upper = plot.addGraph(), *lower = plot.addGraph();
    for (std::size_t i = 0; i < s.band.size(); ++i) lower->addData(s.points[i].x(), s.band[i].x()), upper->addData(s.points[i].x(), s.band[i].y());
    QColor soft = s.colour;
    soft.setAlpha(50);
    upper->setPen(Qt::NoPen), lower->setPen(Qt::NoPen);
    upper->setBrush(soft);
    upper->setChannelFillGraph(lower);
    upper->removeFromLegend(), lower->removeFromLegend();
}

void drawSeries(QCustomPlot& plot, const Plot::Series& s) {
    if (!s.band.empty()) drawBand(plot, s);
    auto* graph = plot.addGraph();
    for (const QPointF& p : s.points) graph->addData(p.x(), p.y());
    if (s.width > 0)
        graph->setPen(QPen(s.colour, s.width, s.pen));
    else
        graph->setLineStyle(QCPGraph::lsNone);
    if (s.dot > 0) {
        QColor colour = s.colour;
        colour.setAlpha(170);
        graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, s.dot));
    } else if (s.style) { // some markers along the line
        graph->setScatterSkip(7);
        graph->setScatterStyle(QCPScatterStyle(s.style->marker(4.5), QPen(s.colour), QBrush(s.colour)));
    }
    if (s.name.isEmpty())
        graph->removeFromLegend();
    else
        graph->setName(s.name);
}

} // namespace

void drawPlot(QCustomPlot& plot, const Plot& content) {
    for (const Plot::Series& s : content.series) drawSeries(plot, s);
    for (const Plot::Mark& m : content.marks) {
        auto* mark = new QCPItemStraightLine(&plot);
        mark->point1->setCoords(m.x, 0);
        mark->point2->setCoords(m.x, 1);
        mark->setPen(QPen(m.colour, 1.5, m.pen));
    }
    plot.xAxis->setLabel(content.xLabel);
    plot.yAxis->setLabel(content.yLabel);
    if (content.logarithmic) {
        plot.yAxis->setScaleType(QCPAxis::stLogarithmic);
        plot.yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog));
        plot.yAxis->setNumberPrecision(3);
    }
    plot.xAxis->setRange(content.low.x(), content.high.x());
    if (content.high.y() > content.low.y()) plot.yAxis->setRange(content.low.y(), content.high.y());
}

} // namespace caelumen
