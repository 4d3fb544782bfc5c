#include "app/bench/evidence_drawing.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "core/compare/gaps.h"
#include "core/model/facts.h"
#include "core/model/quantity.h"
#include "core/optics/spacing.h"
#include "report/local_number.h"
#include "report/plots.h"

#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

/// Where figures of stars are read from.
namespace caelumen::evidence {
namespace {

PlotInk inkOf(const EvidenceSubject& s) {
    PlotInk ink;
    ink.colourOf = [&s](const std::string& run) { return colourOf(s, run); };
    ink.accent = theme().accent, ink.dim = theme().dim;
    return ink;
}

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
        names << tr("%1 at %2 px").arg(QString::fromStdString(name)).arg(localNumber(radius, 'f', 0));
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
    const Measurement* m = r.headline(run.toStdString(), q::haloFluxFraction, s.region.toStdString());
    if (!e || !m) {
        out.text = whyNot(s, q::haloDepth, tr("No halo star is chosen."));
        return out;
    }
    const auto it = e->halos.find(s.region.toStdString() + "/" + m->channel);
    if (it == e->halos.end()) return out;
    const HaloExcess& x = it->second;
    drawPlot(plot, haloPlot(s.trial, r, s.region.toStdString(), inkOf(s), run.toStdString()));
    markGaps(plot, s, x.radius.back(), out);
    if (x.unexplained > 0 && x.rings.empty()) {
        out.text += (tr("Dotted: with the difference in focus. Light stands out that is neither a disc nor a ring with an edge all round: %1 of the star's. "
                        "A halo may hide under it, so no limit is stated.")
                         .arg(valueText(m)));
    } else if (x.rings.empty()) {
        out.text += (tr("Dotted: with the difference in focus. No edge stands out. Limit for a disc of %1 px: depth %2 mag/arcsec\u00B2.")
                         .arg(localNumber(x.limitRadius, 'f', 0))
                         .arg(valueText(r.headline(run.toStdString(), q::haloDepth, s.region.toStdString()))));
    } else {
        const Measurement* gap = r.headline(run.toStdString(), q::haloGapMm, s.region.toStdString());
        out.text += (tr("Excess per pixel and unit of star light (dotted: with the difference in focus). Radius %1 px, depth %2 mag/arcsec\u00B2%3")
                         .arg(valueText(r.headline(run.toStdString(), q::haloRadius, s.region.toStdString())),
                              valueText(r.headline(run.toStdString(), q::haloDepth, s.region.toStdString())),
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
        out.text = whyNot(s, q::colourSlope, {});
        return out;
    }
    for (const ColourPoint& p : points->second) out.stars.emplace_back(QPointF(p.x, p.y), p.place);
    drawPlot(plot, colourPlot(s.trial, r, "B-R", inkOf(s), run.toStdString()));
    if (e->colourFits.count("B-R"))
        out.text = (tr("%1 stars. Slope %2 (dashed: all colour kept), scatter %3 mag.")
                        .arg(points->second.size())
                        .arg(valueText(r.headline(run.toStdString(), q::colourSlope)), valueText(r.headline(run.toStdString(), q::colourScatter))));
    return out;
}

} // namespace caelumen::evidence
