#include "app/grid/slice_plot.h"

#include "app/widgets/core_words.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"

#include <QVBoxLayout>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

namespace caelumen {

SlicePlot::SlicePlot(QWidget* parent)
    : QWidget(parent)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_plot);
    m_plot->setMinimumSize(320, 220);
    m_plot->setAccessibleName(tr("Filters against the brightness of the sky"));
    m_plot->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    legendAbove(*m_plot);
}

void SlicePlot::show(const Content& content) {
    const Theme& t = theme();
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    m_plot->xAxis->setLabel(tr("sky at the zenith (mag/arcsec\u00B2): darker on the left"));
    const QString unit = gridQuantityUnit(content.quantity);
    m_plot->yAxis->setLabel(coreWord(gridQuantityLabel(content.quantity)) + (unit == "1" ? QString() : " (" + unit + ")"));
    const bool logs = content.quantity != GridQuantity::HaloCleanMag;
    m_plot->yAxis->setScaleType(logs ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
    m_plot->yAxis->setTicker(logs ? QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog) : QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    m_plot->yAxis->setNumberFormat("g");
    m_plot->yAxis->setNumberPrecision(3);
    double low = 1e300, high = -1e300;
    for (const Line& line : content.lines) {
        QVector<double> x, y, above, below, mx, my, me;
        for (const GridCell& c : line.cells) {
            if (c.origin == CellOrigin::Empty || (logs && !(c.value > 0))) continue;
            const double part = logs ? std::min(1.5, c.sigma / c.value) : c.sigma;
            x << c.sky.zenith_mag, y << c.value;
            above << (logs ? c.value * std::exp(part) : c.value + part);
            below << (logs ? c.value * std::exp(-part) : c.value - part);
            low = std::min(low, line.chosen ? below.back() : c.value), high = std::max(high, line.chosen ? above.back() : c.value);
            if (c.origin == CellOrigin::Measured) mx << c.sky.zenith_mag, my << c.value, me << c.sigma;
        }
        if (x.isEmpty()) continue;
        if (line.chosen) { // one band: many hide one another
            QColor ground = line.style.colour;
            ground.setAlpha(50);
            auto *top = m_plot->addGraph(), *bottom = m_plot->addGraph();
            top->setData(x, above), bottom->setData(x, below);
            top->setPen(Qt::NoPen), bottom->setPen(Qt::NoPen);
            top->setBrush(ground), top->setChannelFillGraph(bottom);
            top->removeFromLegend(), bottom->removeFromLegend();
        }
        auto* graph = m_plot->addGraph();
        graph->setData(x, y);
        graph->setPen(QPen(line.style.colour, line.chosen ? 2.6 : 1.6));
        graph->setScatterStyle(QCPScatterStyle(line.style.marker(4), QPen(line.style.colour, 1.4), QBrush(t.plot)));
        graph->setName(line.name);
        if (!mx.isEmpty()) {
            auto* points = m_plot->addGraph();
            points->setData(mx, my);
            points->setLineStyle(QCPGraph::lsNone);
            points->removeFromLegend();
            points->setScatterStyle(QCPScatterStyle(line.style.marker(5.5), QPen(line.style.colour, 1.4), QBrush(line.style.colour)));
            auto* bars = new QCPErrorBars(m_plot->xAxis, m_plot->yAxis);
            bars->setDataPlottable(points);
            bars->setData(me);
            bars->setPen(QPen(line.style.colour, 1.4));
            bars->removeFromLegend();
        }
    }
    m_plot->legend->setFont(font());
    m_plot->legend->setTextColor(t.text);
    m_plot->legend->setBrush(t.plot);
    m_plot->legend->setBorderPen(Qt::NoPen);
    m_plot->xAxis->setRange(17.3, 22.2);
    m_plot->xAxis->setRangeReversed(true);
    if (high > low && logs)
        m_plot->yAxis->setRange(low / 1.15, high * 1.15);
    else if (high >= low)
        m_plot->yAxis->setRange(low - 0.5, high + 0.5);
    if (content.quantity == GridQuantity::TimeRatio) { // even with the baseline
        auto* even = new QCPItemStraightLine(m_plot);
        even->point1->setCoords(17, 1), even->point2->setCoords(22, 1);
        even->setPen(QPen(t.warn, 1.2, Qt::DashLine));
    }
    m_plot->replot();
}

} // namespace caelumen
