#include "app/bench/evidence_plot.h"

#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "core/base/statistics.h"
#include "core/compare/evidence.h"
#include "core/compare/sentences.h"
#include "report/filter_style.h"

#include <QLabel>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

const RunEvidence* evidenceOf(const TrialResults& r, const std::string& run) {
    if (!r.evidence) return nullptr;
    for (const RunEvidence& e : *r.evidence)
        if (e.run == run && !e.planes.empty()) return &e;
    return nullptr;
}

const PlaneHarvest* planeOf(const RunEvidence& e, const std::string& channel) {
    for (const PlaneHarvest& p : e.planes)
        if (p.channel == channel) return &p;
    return e.planes.empty() ? nullptr : &e.planes.front();
}

QString valueText(const Measurement* m, const QString& unit) {
    return m ? QString::fromStdString(formatValue(*m)) + (unit.isEmpty() ? "" : " " + unit) : QObject::tr("not measured");
}

} // namespace

EvidencePlot::EvidencePlot(QWidget* parent)
    : QWidget(parent)
    , m_title(new QLabel)
    , m_text(new QLabel)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(3);
    m_title->setObjectName("heading");
    m_text->setObjectName("dim");
    m_text->setWordWrap(true);
    layout->addWidget(m_title);
    layout->addWidget(m_plot, 1);
    layout->addWidget(m_text);
    layout->addStretch(0); // keeps the words at the top while there is no plot
    m_plot->setMinimumSize(220, 140);
    m_plot->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    connect(m_plot->yAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, &EvidencePlot::drawNear);
    clear(tr("Click a value below to see where it comes from."));
}

void EvidencePlot::clear(const QString& why) {
    m_series.clear();
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    m_plot->xAxis->setLabel({});
    m_plot->yAxis->setLabel({});
    m_plot->setVisible(false);
    m_title->setText(tr("Evidence"));
    m_text->setText(why);
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

QColor EvidencePlot::colourOf(const Trial& trial, const TrialResults& r, const std::string& run) const {
    for (std::size_t i = 0; i < trial.runs.size(); ++i)
        if (trial.runs[i].id == run) return filterStyle(static_cast<int>(i), run == r.baseline, theme().isRed()).colour;
    return theme().text;
}

void EvidencePlot::show(const QString& score, const Trial& trial, const TrialResults* results, const QString& run, const QString& region) {
    clear({});
    if (!results) {
        clear(tr("Nothing is measured yet."));
        return;
    }
    m_plot->setVisible(true);
    if (score == "background")
        background(trial, *results, run);
    else if (score == "nebula")
        nebula(trial, *results, region);
    else if (score == "halo")
        halo(trial, *results, run, region);
    else if (score == "colour")
        colour(trial, *results, run);
    else
        gradient(trial, *results, run);
    m_plot->setVisible(m_plot->plottableCount() > 0);
    for (int g = 0; g < m_plot->graphCount(); ++g) {
        Series all{m_plot->graph(g), {}, {}};
        for (const QCPGraphData& d : *all.graph->data()) all.key << d.key, all.value << d.value;
        m_series.push_back(std::move(all));
    }
    drawNear();
    m_plot->replot();
}

void EvidencePlot::background(const Trial& trial, const TrialResults& r, const QString& run) {
    const RunEvidence* e = evidenceOf(r, run.toStdString());
    const Measurement* m = r.headline(run.toStdString(), "background");
    m_title->setText(tr("Sky pixels of run %1").arg(run));
    if (!e || !m) {
        m_text->setText(tr("This run has no background figure."));
        return;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    if (p->skyValues.empty()) {
        m_text->setText(tr("There is no sky region: the level comes from the sky model at the frame's centre."));
        return;
    }
    std::vector<double> values(p->skyValues.begin(), p->skyValues.end());
    const double span = 5 * std::max(p->noise.value, 1e-12), low = m->value - span, width = 2 * span / 60;
    QVector<double> x(60), y(60, 0), model(60);
    for (const double v : values)
        if (const int bin = static_cast<int>((v - low) / width); v >= low && bin < 60) y[bin] += 1;
    double top = 0;
    for (int i = 0; i < 60; ++i) {
        x[i] = low + (i + 0.5) * width;
        top = std::max(top, y[i]);
    }
    auto* bars = new QCPBars(m_plot->xAxis, m_plot->yAxis);
    bars->setWidth(width);
    QColor fill = colourOf(trial, r, run.toStdString());
    bars->setPen(Qt::NoPen);
    fill.setAlpha(150);
    bars->setBrush(fill);
    bars->setData(x, y);
    auto* mark = new QCPItemStraightLine(m_plot);
    mark->point1->setCoords(m->value, 0);
    mark->point2->setCoords(m->value, 1);
    mark->setPen(QPen(theme().accent, 1.5));
    m_plot->xAxis->setLabel(tr("Rate in %1 (e-/s/px)").arg(QString::fromStdString(m->channel)));
    m_plot->yAxis->setLabel(tr("Pixels"));
    m_plot->xAxis->setRange(low, low + 2 * span);
    m_plot->yAxis->setRange(0, top * 1.08);
    m_text->setText(tr("Background %1; pixel noise %2; line: the clipped mean.")
                        .arg(valueText(m, "e-/s/px"), valueText(r.find(run.toStdString(), "pixel_noise", m->channel), "")));
}

void EvidencePlot::nebula(const Trial& trial, const TrialResults& r, const QString& region) {
    m_title->setText(tr("Nebula %1: signal to noise against time").arg(region));
    double top = 0;
    QVector<double> hours;
    for (int i = 0; i <= 60; ++i) hours << i * 0.1;
    for (const Run& run : trial.runs) {
        const Measurement* m = r.headline(run.id, "nebula_snr_hour", region.toStdString());
        const RunConditions* c = r.conditionsOf(run.id);
        if (!m || !c) continue;
        QVector<double> snr;
        for (const double h : hours) snr << m->value * std::sqrt(h);
        auto* line = m_plot->addGraph();
        const QColor colour = colourOf(trial, r, run.id);
        line->setPen(QPen(colour, 1.8, run.id == r.baseline ? Qt::DashLine : Qt::SolidLine));
        line->setData(hours, snr);
        auto* name = new QCPItemText(m_plot);
        name->position->setCoords(6.08, snr.back());
        name->setText(QString::fromStdString(run.id));
        name->setColor(colour);
        name->setFont(m_plot->xAxis->tickLabelFont());
        name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        if (c->total_s) {
            auto* dot = m_plot->addGraph();
            dot->setLineStyle(QCPGraph::lsNone);
            dot->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, 7));
            dot->addData(*c->total_s / 3600, m->value * std::sqrt(*c->total_s / 3600));
        }
        top = std::max(top, snr.back());
    }
    m_plot->xAxis->setLabel(tr("Hours of integration"));
    m_plot->yAxis->setLabel(tr("SNR of a 10\u2033 box"));
    m_plot->xAxis->setRange(0, 6.5);
    m_plot->yAxis->setRange(0, std::max(top * 1.05, 0.1));
    m_text->setText(tr("Dots: what these stacks reach. The squared ratio of two lines is their time ratio."));
}

void EvidencePlot::halo(const Trial& trial, const TrialResults& r, const QString& run, const QString& region) {
    m_title->setText(tr("Light around %1 beyond the baseline's").arg(region));
    const RunEvidence* e = evidenceOf(r, run.toStdString());
    const Measurement* m = r.headline(run.toStdString(), "halo_flux_fraction");
    if (!e || !m) {
        const Absence* why = r.whyAbsent(run.toStdString(), "halo_depth");
        m_text->setText(run.toStdString() == r.baseline ? tr("The baseline is what halos are measured against; choose another run.")
                        : why                           ? QString::fromStdString(why->reason)
                                                        : tr("No halo star is chosen."));
        return;
    }
    const auto it = e->halos.find(region.toStdString() + "/" + m->channel);
    if (it == e->halos.end()) return;
    const HaloExcess& x = it->second;
    const double scale = x.top();
    const double unit = scale > 0 ? std::pow(10, std::floor(std::log10(scale))) : 1;
    auto* band = m_plot->addGraph();
    auto* lower = m_plot->addGraph();
    auto* line = m_plot->addGraph();
    const QColor colour = colourOf(trial, r, run.toStdString());
    QColor soft = colour;
    soft.setAlpha(60);
    band->setPen(Qt::NoPen);
    lower->setPen(Qt::NoPen);
    band->setBrush(soft);
    line->setPen(QPen(colour, 1.5));
    auto* blurred = m_plot->addGraph();
    blurred->setPen(QPen(colour, 1, Qt::DotLine));
    for (std::size_t i = 0; i < x.radius.size(); ++i) {
        if (!(x.sigma[i] > 0)) continue;
        line->addData(x.radius[i], x.halo(i) / unit);
        band->addData(x.radius[i], (x.halo(i) + x.sigma[i]) / unit);
        lower->addData(x.radius[i], (x.halo(i) - x.sigma[i]) / unit);
        blurred->addData(x.radius[i], x.value[i] / unit);
    }
    band->setChannelFillGraph(lower);
    for (const HaloRing& ring : x.rings) {
        auto* plateau = m_plot->addGraph();
        plateau->setPen(QPen(theme().accent, 1.5));
        plateau->addData(ring.inner, ring.plateau / unit);
        plateau->addData(ring.radius, ring.plateau / unit);
        auto* mark = new QCPItemStraightLine(m_plot);
        mark->point1->setCoords(ring.radius, 0);
        mark->point2->setCoords(ring.radius, 1);
        mark->setPen(QPen(theme().accent, 1.5, Qt::DashLine));
    }
    m_plot->xAxis->setLabel(tr("Radius (px)"));
    m_plot->yAxis->setLabel(tr("Excess in %1 (%2)").arg(QString::fromStdString(m->channel), QString::number(unit, 'e', 0)));
    m_plot->xAxis->setRange(0, x.radius.back());
    m_plot->yAxis->setRange(-0.8 * std::max(scale / unit, 0.1), 2.4 * std::max(scale / unit, 0.1));
    if (x.unexplained > 0 && x.rings.empty()) {
        m_text->setText(tr("Dotted: with the difference in focus. Light stands out that is neither a disc nor a ring with an edge all round: %1 of the star's. "
                           "A halo may hide under it, so no limit is stated.")
                            .arg(valueText(m, "")));
    } else if (x.rings.empty()) {
        m_text->setText(tr("Dotted: with the difference in focus. No edge stands out. Limit for a disc of %1 px: depth %2 mag/arcsec\u00B2.")
                            .arg(x.limitRadius, 0, 'f', 0)
                            .arg(valueText(r.headline(run.toStdString(), "halo_depth"), "")));
    } else {
        const Measurement* gap = r.headline(run.toStdString(), "halo_gap_mm");
        m_text->setText(tr("Excess per pixel and unit of star light (dotted: with the difference in focus). Radius %1 px, depth %2 mag/arcsec\u00B2%3")
                            .arg(valueText(r.headline(run.toStdString(), "halo_radius"), ""), valueText(r.headline(run.toStdString(), "halo_depth"), ""),
                                 gap ? tr("; a gap of %1 mm: %2").arg(valueText(gap, ""), QString::fromStdString(gap->note)) : QString()));
    }
}

void EvidencePlot::colour(const Trial& trial, const TrialResults& r, const QString& run) {
    m_title->setText(tr("Star colours B-R, run %1 against the baseline").arg(run));
    const RunEvidence* e = evidenceOf(r, run.toStdString());
    const auto points = e ? e->colours.find("B-R") : std::map<std::string, std::vector<ColourPoint>>::const_iterator{};
    if (!e || points == e->colours.end()) {
        const Absence* why = r.whyAbsent(run.toStdString(), "colour_slope");
        m_text->setText(run.toStdString() == r.baseline ? tr("The baseline is what star colours are held against; choose another run.")
                        : why                           ? QString::fromStdString(why->reason)
                                                        : QString());
        return;
    }
    auto* dots = m_plot->addGraph();
    dots->setLineStyle(QCPGraph::lsNone);
    QColor colour = colourOf(trial, r, run.toStdString());
    colour.setAlpha(170);
    dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, 3.5));
    std::vector<double> xs, ys;
    for (const ColourPoint& p : points->second) {
        dots->addData(p.x, p.y);
        xs.push_back(p.x);
        ys.push_back(p.y);
    }
    const double x0 = quantile(xs, 0.005) - 0.1, x1 = quantile(xs, 0.995) + 0.1, y0 = quantile(ys, 0.005) - 0.15, y1 = quantile(ys, 0.995) + 0.15;
    m_plot->xAxis->setRange(x0, x1);
    m_plot->yAxis->setRange(y0, y1);
    if (const auto fit = e->colourFits.find("B-R"); fit != e->colourFits.end()) {
        const ColourFit& f = fit->second;
        const double at = f.medianIndex + f.cast;
        auto* line = m_plot->addGraph();
        line->setPen(QPen(theme().accent, 1.5));
        line->addData(x0, at + f.slope * (x0 - f.medianIndex));
        line->addData(x1, at + f.slope * (x1 - f.medianIndex));
        auto* same = m_plot->addGraph();
        same->setPen(QPen(theme().dim, 1, Qt::DashLine));
        same->addData(x0, at + (x0 - f.medianIndex));
        same->addData(x1, at + (x1 - f.medianIndex));
        m_text->setText(tr("%1 stars. Slope %2 (dashed: all colour kept), scatter %3 mag.")
                            .arg(points->second.size())
                            .arg(valueText(r.headline(run.toStdString(), "colour_slope"), ""), valueText(r.headline(run.toStdString(), "colour_scatter"), "")));
    }
    m_plot->xAxis->setLabel(tr("B-R in the baseline (mag)"));
    m_plot->yAxis->setLabel(tr("B-R with the filter (mag)"));
}

void EvidencePlot::gradient(const Trial& trial, const TrialResults& r, const QString& run) {
    m_title->setText(tr("Sky across the frame, run %1").arg(run));
    const RunEvidence* e = evidenceOf(r, run.toStdString());
    const Measurement* m = r.headline(run.toStdString(), "gradient");
    if (!e || !m) {
        m_text->setText(tr("This run has no gradient figure."));
        return;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    const Surface& s = e->surfaces.at(p->channel);
    const std::vector<char>& excluded = e->excludedCells.at(p->channel);
    const double size = std::max(std::hypot(s.bx, s.by), 1e-30), cx = s.bx / size, cy = s.by / size;
    auto* used = m_plot->addGraph();
    auto* left = m_plot->addGraph();
    auto* line = m_plot->addGraph();
    for (QCPGraph* g : {used, left}) g->setLineStyle(QCPGraph::lsNone);
    used->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colourOf(trial, r, run.toStdString()), 3.5));
    QColor grey = theme().dim;
    grey.setAlpha(90);
    left->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, grey, 3.5));
    line->setPen(QPen(theme().accent, 1.6));
    double low = 1e300, high = -1e300;
    for (std::size_t i = 0; i < p->mesh.cells.size(); ++i) {
        const MeshCell& c = p->mesh.cells[i];
        if (c.used == 0) continue;
        const SurfaceBasis b = SurfaceBasis::at(c.centre, p->view.width, p->view.height);
        const double along = b.u * cx + b.v * cy, flat = c.level - s.q * b.rr;
        (excluded[i] ? left : used)->addData(along, flat);
        if (excluded[i]) continue;
        low = std::min(low, flat);
        high = std::max(high, flat);
    }
    line->addData(-1, s.b0 - size);
    line->addData(1, s.b0 + size);
    m_plot->xAxis->setLabel(tr("Place along the gradient (half diagonals)"));
    m_plot->yAxis->setLabel(tr("Sky in %1 (e-/s/px)").arg(QString::fromStdString(p->channel)));
    m_plot->xAxis->setRange(-1, 1);
    const double pad = 0.15 * std::max(high - low, 1e-9);
    m_plot->yAxis->setRange(low - pad, high + pad);
    m_text->setText(
        tr("Gradient %1 of the level, brightening towards %2\u00B0; vignetting %3. Open points: left out as nebula or halo.")
            .arg(valueText(m, ""), valueText(r.headline(run.toStdString(), "gradient_angle"), ""), valueText(r.headline(run.toStdString(), "vignette"), "")));
}

/// Near a star a halo's profile reaches millions of pixels beyond the plot, and a painter works its way through every line of them: half a minute for one
/// picture.
void EvidencePlot::drawNear() {
    const QCPRange range = m_plot->yAxis->range();
    for (const Series& s : m_series) {
        QVector<double> near;
        for (const double v : s.value) near << std::clamp(v, range.lower - range.size(), range.upper + range.size());
        s.graph->setData(s.key, near, true);
    }
}

QString EvidencePlot::csv() const {
    QString out = m_title->text() + "\n" + m_plot->xAxis->label() + "," + m_plot->yAxis->label() + "\n";
    for (const Series& s : m_series)
        for (int i = 0; i < s.key.size(); ++i) out += QString("%1,%2\n").arg(s.key[i], 0, 'g', 8).arg(s.value[i], 0, 'g', 8);
    for (int i = 0; i < m_plot->plottableCount(); ++i)
        if (const auto* bars = qobject_cast<QCPBars*>(m_plot->plottable(i)))
            for (const QCPBarsData& d : *bars->data()) out += QString("%1,%2\n").arg(d.key, 0, 'g', 8).arg(d.value, 0, 'g', 8);
    return out;
}

} // namespace caelumen
