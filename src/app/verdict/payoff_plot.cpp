#include "app/verdict/payoff_plot.h"

#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"

#include <QCoreApplication>
#include <QLabel>
#include <QVBoxLayout>
#include <qcustomplot.h>

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

void PayoffPlot::show(const std::vector<PayoffLine>& lines, const QString& owned) {
    m_plot->clearPlottables();
    stylePlot(*m_plot);
    m_plot->legend->setBrush(theme().plot);
    drawPlot(*m_plot, payoffPlot(lines));
    QStringList none, unknown, rest;
    for (const PayoffLine& line : lines) {
        const FilterValue& v = line.value;
        if (!v.saves() && (v.hoursSaved != 0 || v.sigma > 0)) none << line.name;
        if (v.saves() && !v.price) unknown << line.name;
    }
    if (!none.isEmpty()) rest << tr("Saves no hours that can be told against %1, and so is not worth it for its time: %2.").arg(owned, none.join(", "));
    if (!unknown.isEmpty()) rest << tr("Saves hours, but no price is known: %1.").arg(unknown.join(", "));
    if (lines.empty()) rest << tr("There is nothing to pay for yet.");
    m_rest->setText(rest.join(' '));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

} // namespace caelumen
