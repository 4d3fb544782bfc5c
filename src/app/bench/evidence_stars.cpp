#include "app/bench/evidence_drawing.h"
#include "app/widgets/theme.h"
#include "core/base/statistics.h"
#include "core/compare/gaps.h"
#include "core/model/facts.h"
#include "core/optics/spacing.h"

#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

/// Where figures of stars are read from.
namespace caelumen::evidence {
namespace {

/// Where ghosts of the rig's own gaps would end.
void markGaps(QCustomPlot& plot, const EvidenceSubject& s, double most, EvidenceDrawn& out) {
    const Run* run = s.trial.run(s.run.toStdString());
    const RunConditions* c = s.results.conditionsOf(s.run.toStdString());
    if (!run || !c || !c->focal_ratio) return;
    const Rig rig = completed(effectiveRig(s.trial, *run), c->facts);
    if (!rig.pixel_um) return;
    QStringList names;
    for (const auto& [name, mm] : gapsOf(rig)) {
        const double radius = ghostRadius_px(mm, *rig.pixel_um, *c->focal_ratio);
        if (radius > most) continue;
        auto* mark = new QCPItemStraightLine(&plot);
        mark->point1->setCoords(radius, 0);
        mark->point2->setCoords(radius, 1);
        mark->setPen(QPen(theme().dim, 1, Qt::DotLine));
        names << tr("%1 at %2 px").arg(QString::fromStdString(name)).arg(radius, 0, 'f', 0);
    }
    if (!names.isEmpty()) out.text = tr("Dotted lines: ghosts of the rig's gaps (%1). ").arg(names.join(", "));
}

} // namespace

EvidenceDrawn haloProfile(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    const TrialResults& r = s.results;
    const QString& run = s.run;
    out.title = (tr("Light around %1 beyond the baseline's").arg(s.region));
    const RunEvidence* e = of(r, run);
    const Measurement* m = r.headline(run.toStdString(), "halo_flux_fraction", s.region.toStdString());
    if (!e || !m) {
        out.text = whyNot(s, "halo_depth", tr("No halo star is chosen."));
        return out;
    }
    const auto it = e->halos.find(s.region.toStdString() + "/" + m->channel);
    if (it == e->halos.end()) return out;
    const HaloExcess& x = it->second;
    const double scale = x.top();
    const double unit = scale > 0 ? std::pow(10, std::floor(std::log10(scale))) : 1;
    auto* band = plot.addGraph();
    auto* lower = plot.addGraph();
    auto* line = plot.addGraph();
    const QColor colour = colourOf(s, run.toStdString());
    QColor soft = colour;
    soft.setAlpha(60);
    band->setPen(Qt::NoPen);
    lower->setPen(Qt::NoPen);
    band->setBrush(soft);
    line->setPen(QPen(colour, 1.5));
    auto* blurred = plot.addGraph();
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
        auto* plateau = plot.addGraph();
        plateau->setPen(QPen(theme().accent, 1.5));
        plateau->addData(ring.inner, ring.plateau / unit);
        plateau->addData(ring.radius, ring.plateau / unit);
        auto* mark = new QCPItemStraightLine(&plot);
        mark->point1->setCoords(ring.radius, 0);
        mark->point2->setCoords(ring.radius, 1);
        mark->setPen(QPen(theme().accent, 1.5, Qt::DashLine));
    }
    markGaps(plot, s, x.radius.back(), out);
    plot.xAxis->setLabel(tr("Radius (px)"));
    plot.yAxis->setLabel(tr("Excess in %1 (%2)").arg(QString::fromStdString(m->channel), QString::number(unit, 'e', 0)));
    plot.xAxis->setRange(0, x.radius.back());
    plot.yAxis->setRange(-0.8 * std::max(scale / unit, 0.1), 2.4 * std::max(scale / unit, 0.1));
    if (x.unexplained > 0 && x.rings.empty()) {
        out.text += (tr("Dotted: with the difference in focus. Light stands out that is neither a disc nor a ring with an edge all round: %1 of the star's. "
                        "A halo may hide under it, so no limit is stated.")
                         .arg(valueText(m)));
    } else if (x.rings.empty()) {
        out.text += (tr("Dotted: with the difference in focus. No edge stands out. Limit for a disc of %1 px: depth %2 mag/arcsec\u00B2.")
                         .arg(x.limitRadius, 0, 'f', 0)
                         .arg(valueText(r.headline(run.toStdString(), "halo_depth", s.region.toStdString()))));
    } else {
        const Measurement* gap = r.headline(run.toStdString(), "halo_gap_mm", s.region.toStdString());
        out.text += (tr("Excess per pixel and unit of star light (dotted: with the difference in focus). Radius %1 px, depth %2 mag/arcsec\u00B2%3")
                         .arg(valueText(r.headline(run.toStdString(), "halo_radius", s.region.toStdString())),
                              valueText(r.headline(run.toStdString(), "halo_depth", s.region.toStdString())),
                              gap ? tr("; a gap of %1 mm: %2").arg(valueText(gap), QString::fromStdString(gap->note)) : QString()));
    }
    return out;
}

EvidenceDrawn colourDiagram(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    const TrialResults& r = s.results;
    const QString& run = s.run;
    out.title = (tr("Star colours B-R, run %1 against the baseline").arg(run));
    const RunEvidence* e = of(r, run);
    const auto points = e ? e->colours.find("B-R") : std::map<std::string, std::vector<ColourPoint>>::const_iterator{};
    if (!e || points == e->colours.end()) {
        out.text = whyNot(s, "colour_slope", {});
        return out;
    }
    auto* dots = plot.addGraph();
    dots->setLineStyle(QCPGraph::lsNone);
    QColor colour = colourOf(s, run.toStdString());
    colour.setAlpha(170);
    dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, 3.5));
    std::vector<double> xs, ys;
    for (const ColourPoint& p : points->second) {
        out.stars.emplace_back(QPointF(p.x, p.y), p.place);
        dots->addData(p.x, p.y);
        xs.push_back(p.x);
        ys.push_back(p.y);
    }
    const double x0 = quantile(xs, 0.005) - 0.1, x1 = quantile(xs, 0.995) + 0.1, y0 = quantile(ys, 0.005) - 0.15, y1 = quantile(ys, 0.995) + 0.15;
    plot.xAxis->setRange(x0, x1);
    plot.yAxis->setRange(y0, y1);
    if (const auto fit = e->colourFits.find("B-R"); fit != e->colourFits.end()) {
        const ColourFit& f = fit->second;
        const double at = f.medianIndex + f.cast;
        auto* line = plot.addGraph();
        line->setPen(QPen(theme().accent, 1.5));
        line->addData(x0, at + f.slope * (x0 - f.medianIndex));
        line->addData(x1, at + f.slope * (x1 - f.medianIndex));
        auto* same = plot.addGraph();
        same->setPen(QPen(theme().dim, 1, Qt::DashLine));
        same->addData(x0, at + (x0 - f.medianIndex));
        same->addData(x1, at + (x1 - f.medianIndex));
        out.text = (tr("%1 stars. Slope %2 (dashed: all colour kept), scatter %3 mag.")
                        .arg(points->second.size())
                        .arg(valueText(r.headline(run.toStdString(), "colour_slope")), valueText(r.headline(run.toStdString(), "colour_scatter"))));
    }
    plot.xAxis->setLabel(tr("B-R in the baseline (mag)"));
    plot.yAxis->setLabel(tr("B-R with the filter (mag)"));
    return out;
}

} // namespace caelumen::evidence
