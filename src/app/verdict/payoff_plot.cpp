#include "app/verdict/payoff_plot.h"

#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"

#include <QLabel>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <algorithm>

namespace caelumen {

PayoffPlot::PayoffPlot(QWidget* parent)
    : QWidget(parent)
    , m_plot(new QCustomPlot)
    , m_rest(new QLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_plot, 1);
    layout->addWidget(m_rest);
    m_rest->setWordWrap(true);
    m_rest->setContentsMargins(8, 2, 8, 4);
    m_rest->setObjectName("dim");
    m_plot->setMinimumSize(320, 180);
    m_plot->setAccessibleName(tr("What an hour costs by the years of use"));
    legendAbove(*m_plot);
}

void PayoffPlot::show(const std::vector<Line>& lines, const QString& owned) {
    constexpr int kYears = 10;
    const Theme& t = theme();
    m_plot->clearPlottables();
    stylePlot(*m_plot);
    m_plot->legend->setBrush(t.plot);
    m_plot->legend->setBorderPen(Qt::NoPen);
    m_plot->legend->setTextColor(t.text);
    QString currency;
    QStringList none, unknown;
    double high = 0, low = 1e300;
    for (const Line& line : lines) {
        const FilterValue& v = line.value;
        if (!v.saves()) {
            if (v.hoursSaved != 0 || v.sigma > 0) none << line.name;
            continue;
        }
        if (!v.price) {
            unknown << line.name;
            continue;
        }
        currency = QString::fromStdString(v.currency);
        QVector<double> x, y, dear, cheap;
        for (double year = 1; year <= kYears; year += 0.25) {
            const double hours = v.hoursSaved * year;
            x << year, y << *v.price / hours;
            dear << *v.price / (year * std::max(0.05 * v.hoursSaved, v.hoursSaved - v.sigma)), cheap << *v.price / (year * (v.hoursSaved + v.sigma));
        }
        high = std::max(high, y.first()), low = std::min(low, y.last());
        QColor ground = line.style.colour;
        ground.setAlpha(40);
        auto* upper = m_plot->addGraph();
        auto* lower = m_plot->addGraph();
        upper->setData(x, dear), lower->setData(x, cheap);
        upper->setPen(Qt::NoPen), lower->setPen(Qt::NoPen);
        upper->setBrush(ground);
        upper->setChannelFillGraph(lower);
        m_plot->legend->removeItem(m_plot->legend->itemCount() - 1);
        m_plot->legend->removeItem(m_plot->legend->itemCount() - 1);
        auto* graph = m_plot->addGraph();
        graph->setName(line.name);
        graph->setData(x, y);
        graph->setPen(QPen(line.style.colour, 2));
        graph->setScatterSkip(7);
        graph->setScatterStyle(QCPScatterStyle(line.style.marker(4.5), QPen(line.style.colour), QBrush(line.style.colour)));
    }
    m_plot->xAxis->setLabel(tr("years of use"));
    m_plot->yAxis->setLabel(tr("%1 for each hour saved").arg(currency.isEmpty() ? tr("price") : currency));
    m_plot->yAxis->setScaleType(QCPAxis::stLogarithmic);
    m_plot->yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog));
    m_plot->yAxis->setNumberFormat("g");
    m_plot->yAxis->setNumberPrecision(3);
    m_plot->xAxis->setRange(1, kYears);
    if (high > 0) m_plot->yAxis->setRange(low / 2, high * 2);
    QStringList rest;
    if (!none.isEmpty()) rest << tr("Saves no hours that can be told against %1, and so is not worth it for its time: %2.").arg(owned, none.join(", "));
    if (!unknown.isEmpty()) rest << tr("Saves hours, but no price is known: %1.").arg(unknown.join(", "));
    if (lines.empty()) rest << tr("There is nothing to pay for yet.");
    m_rest->setText(rest.join(' '));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

} // namespace caelumen
