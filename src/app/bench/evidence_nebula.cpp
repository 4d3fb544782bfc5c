#include "app/bench/evidence_drawing.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"

#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

/// Where figures of the nebula are read from.
namespace caelumen::evidence {

EvidenceDrawn againstTime(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    const TrialResults& r = s.results;
    out.title = (tr("Nebula %1: signal to noise against time").arg(s.region));
    double top = 0;
    QVector<double> hours;
    for (int i = 0; i <= 60; ++i) hours << i * 0.1;
    for (const Run& run : s.trial.runs) {
        const Measurement* m = r.headline(run.id, q::nebulaSnrHour, s.region.toStdString());
        const RunConditions* c = r.conditionsOf(run.id);
        if (!m || !c) continue;
        QVector<double> snr;
        for (const double h : hours) snr << m->value * std::sqrt(h);
        auto* line = plot.addGraph();
        const QColor colour = colourOf(s, run.id);
        line->setPen(QPen(colour, 1.8, run.id == r.baseline ? Qt::DashLine : Qt::SolidLine));
        line->setData(hours, snr);
        auto* name = new QCPItemText(&plot);
        name->position->setCoords(6.08, snr.back());
        name->setText(QString::fromStdString(run.id));
        name->setColor(colour);
        name->setFont(plot.xAxis->tickLabelFont());
        name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        if (c->total_s) {
            auto* dot = plot.addGraph();
            dot->setLineStyle(QCPGraph::lsNone);
            dot->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, 7));
            dot->addData(*c->total_s / 3600, m->value * std::sqrt(*c->total_s / 3600));
        }
        top = std::max(top, snr.back());
    }
    plot.xAxis->setLabel(tr("Hours of integration"));
    plot.yAxis->setLabel(tr("SNR of a 10\u2033 box"));
    plot.xAxis->setRange(0, 6.5);
    plot.yAxis->setRange(0, std::max(top * 1.05, 0.1));
    out.text = (tr("Dots: what these stacks reach. The squared ratio of two lines is their time ratio."));
    return out;
}

/// The pixels of the region in each run beside those of the sky: what of the light is nebula.
EvidenceDrawn regionPixels(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    out.title = tr("Pixels of %1 and of the sky, run %2").arg(s.region, s.run);
    const Measurement* m = s.results.headline(s.run.toStdString(), q::nebulaSignal, s.region.toStdString());
    const Region* nebula = nullptr;
    std::vector<double> inside, sky;
    for (const Region& r : s.trial.regions)
        if (r.id == s.region.toStdString()) nebula = &r;
    if (m && nebula && s.pixels) {
        inside = s.pixels(s.run.toStdString(), *nebula, m->channel);
        for (const Region& r : s.trial.regions)
            if (r.role == RegionRole::Sky)
                for (const double v : s.pixels(s.run.toStdString(), r, m->channel)) sky.push_back(v);
    }
    if (inside.size() < 20) {
        out.text = m ? tr("The region holds too few pixels, or its picture is not there.") : whyNot(s, q::nebulaSignal, tr("This run has no nebula figure."));
        return out;
    }
    const auto part = [](std::vector<double> v, double q) {
        const auto at = v.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(v.size() - 1));
        std::nth_element(v.begin(), at, v.end());
        return *at;
    };
    double low = part(inside, 0.003), high = part(inside, 0.97);
    if (!sky.empty()) low = std::min(low, part(sky, 0.003));
    const double pad = 0.1 * (high - low);
    low -= pad, high += pad;
    constexpr int kBins = 70;
    double top = 0;
    const auto steps = [&](const std::vector<double>& values, const QColor& colour, bool filled) {
        QVector<double> x(kBins), y(kBins, 0);
        for (int i = 0; i < kBins; ++i) x[i] = low + (i + 0.5) * (high - low) / kBins;
        for (const double v : values)
            if (const int bin = static_cast<int>((v - low) / (high - low) * kBins); v >= low && bin < kBins)
                y[bin] += 100.0 / static_cast<double>(values.size());
        for (const double v : y) top = std::max(top, v);
        auto* graph = plot.addGraph();
        graph->setLineStyle(QCPGraph::lsStepCenter);
        graph->setPen(QPen(colour, 1.4, filled ? Qt::SolidLine : Qt::DashLine));
        QColor soft = colour;
        soft.setAlpha(60);
        if (filled) graph->setBrush(soft);
        graph->setData(x, y, true);
    };
    steps(inside, colourOf(s, s.run.toStdString()), true);
    if (!sky.empty()) steps(sky, theme().dim, false);
    plot.xAxis->setLabel(tr("Rate in %1 (e-/s/px)").arg(QString::fromStdString(m->channel)));
    plot.yAxis->setLabel(tr("Pixels (%)"));
    plot.xAxis->setRange(low, high);
    plot.yAxis->setRange(0, 1.08 * top);
    out.text = tr("Filled: the region, stars and all; dashed: the sky regions. Signal above the sky model, stars masked: %1 e-/s/px.").arg(valueText(m));
    return out;
}

} // namespace caelumen::evidence
