#include "app/bench/evidence_drawing.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"
#include "report/local_number.h"

#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

/// Where figures of the sky are read from.
namespace caelumen::evidence {
namespace {

/// Grey from dark to light, in the theme's own colours, in steps that show as contours.
QCPColorGradient shades() {
    QCPColorGradient g;
    g.clearColorStops();
    const bool light = theme().kind == ThemeKind::Light;
    g.setColorStopAt(0, light ? theme().panel : theme().plot);
    g.setColorStopAt(1, light ? theme().dim.darker(160) : theme().text);
    g.setColorInterpolation(QCPColorGradient::ciRGB);
    g.setLevelCount(12);
    g.setNanHandling(QCPColorGradient::nhTransparent);
    return g;
}

/// A map of the frame; `value` of places in parts of it.
QCPColorMap* map(QCustomPlot& plot, const PlaneHarvest& p, int across, int down, const std::function<double(int, int)>& value) {
    auto* out = new QCPColorMap(plot.xAxis, plot.yAxis);
    const double w = p.view.width * p.view.geometry.pitch, h = p.view.height * p.view.geometry.pitch;
    out->data()->setSize(across, down);
    out->data()->setRange(QCPRange(0.5 * w / across, w - 0.5 * w / across), QCPRange(0.5 * h / down, h - 0.5 * h / down));
    for (int y = 0; y < down; ++y)
        for (int x = 0; x < across; ++x) out->data()->setCell(x, y, value(x, y));
    out->setInterpolate(false);
    out->setGradient(shades());
    out->rescaleDataRange(true);
    plot.xAxis->setLabel(tr("x (px)"));
    plot.yAxis->setLabel(tr("y (px)"));
    plot.xAxis->setRange(0, w);
    plot.yAxis->setRange(0, h);
    return out;
}

QString shadesText(const QCPColorMap& map, const QString& unit) {
    return tr("Dark %1, light %2 %3, in twelve steps.")
        .arg(localNumber(map.dataRange().lower, 'g', 4))
        .arg(localNumber(map.dataRange().upper, 'g', 4))
        .arg(unit);
}

void arrow(QCustomPlot& plot, double x, double y, double angle_deg, double length) {
    auto* line = new QCPItemLine(&plot);
    line->start->setCoords(x, y);
    line->end->setCoords(x + length * std::cos(angle_deg * M_PI / 180), y + length * std::sin(angle_deg * M_PI / 180));
    line->setHead(QCPLineEnding::esSpikeArrow);
    line->setPen(QPen(theme().accent, 2));
}

EvidenceDrawn levels(QCustomPlot& plot, const EvidenceSubject& s, const char* figure, const QString& title, const QString& axis,
                     const std::function<const Banding&(const PlaneHarvest&)>& which) {
    EvidenceDrawn out;
    out.title = title;
    const RunEvidence* e = of(s.results, s.run);
    const Measurement* m = s.results.headline(s.run.toStdString(), figure);
    if (!e || !m) {
        out.text = whyNot(s, figure, tr("Banding was not measured in this run."));
        return out;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    const std::vector<float>& all = which(*p).levels;
    auto* line = plot.addGraph();
    line->setPen(QPen(colourOf(s, s.run.toStdString()), 1));
    double span = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!std::isfinite(all[i])) continue;
        line->addData(static_cast<double>(i) * p->view.geometry.pitch, static_cast<double>(all[i]));
        span = std::max(span, std::abs(static_cast<double>(all[i])));
    }
    plot.xAxis->setLabel(axis);
    plot.yAxis->setLabel(tr("Above what surrounds it, %1 (e-/s/px)").arg(QString::fromStdString(m->channel)));
    plot.xAxis->setRange(0, static_cast<double>(all.size()) * p->view.geometry.pitch);
    plot.yAxis->setRange(-1.05 * span, 1.05 * span);
    out.text = tr("Scatter beyond noise: %1 e-/s/px. The line holds the noise of each line too.").arg(valueText(m));
    return out;
}

} // namespace

EvidenceDrawn skyPixels(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    const TrialResults& r = s.results;
    const QString& run = s.run;
    const RunEvidence* e = of(r, run);
    const Measurement* m = r.headline(run.toStdString(), q::background);
    out.title = (tr("Sky pixels of run %1").arg(run));
    if (!e || !m) {
        out.text = (tr("This run has no background figure."));
        return out;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    if (p->skyValues.empty()) {
        out.text = (tr("There is no sky region: the level comes from the sky model at the frame's centre."));
        return out;
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
    auto* bars = new QCPBars(plot.xAxis, plot.yAxis);
    bars->setWidth(width);
    QColor fill = colourOf(s, run.toStdString());
    bars->setPen(Qt::NoPen);
    fill.setAlpha(150);
    bars->setBrush(fill);
    bars->setData(x, y);
    auto* mark = new QCPItemStraightLine(&plot);
    mark->point1->setCoords(m->value, 0);
    mark->point2->setCoords(m->value, 1);
    mark->setPen(QPen(theme().accent, 1.5));
    plot.xAxis->setLabel(tr("Rate in %1 (e-/s/px)").arg(QString::fromStdString(m->channel)));
    plot.yAxis->setLabel(tr("Pixels"));
    plot.xAxis->setRange(low, low + 2 * span);
    plot.yAxis->setRange(0, top * 1.08);
    out.text = (tr("Background %1; pixel noise %2; line: the clipped mean.")
                    .arg(valueText(m, "e-/s/px"), valueText(r.find(run.toStdString(), q::pixelNoise, m->channel))));
    return out;
}

EvidenceDrawn skyMap(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    out.title = tr("Sky without stars, run %1").arg(s.run);
    const RunEvidence* e = of(s.results, s.run);
    const Measurement* m = s.results.headline(s.run.toStdString(), q::background);
    if (!e || !m) {
        out.text = whyNot(s, q::background, tr("This run has no background figure."));
        return out;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    const BackgroundMesh& mesh = p->mesh;
    const QCPColorMap* drawn = map(plot, *p, mesh.across, mesh.down, [&](int x, int y) {
        const MeshCell& c = mesh.cells[static_cast<std::size_t>(y * mesh.across + x)];
        return c.used == 0 ? std::nan("") : c.level;
    });
    out.map = true;
    out.text = tr("Level of each cell in %1; cells without free sky are left out. %2").arg(QString::fromStdString(m->channel), shadesText(*drawn, "e-/s/px"));
    return out;
}

EvidenceDrawn gradientMap(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    out.title = tr("Sky model across the frame, run %1").arg(s.run);
    const RunEvidence* e = of(s.results, s.run);
    const Measurement* m = s.results.headline(s.run.toStdString(), q::gradientRate);
    if (!e || !m) {
        out.text = whyNot(s, q::gradientRate, tr("This run has no gradient figure."));
        return out;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    const Surface& fit = e->surfaces.at(p->channel);
    constexpr int kAcross = 90, kDown = 60;
    const QCPColorMap* drawn = map(plot, *p, kAcross, kDown, [&](int x, int y) {
        const Point at{(x + 0.5) / kAcross * p->view.width, (y + 0.5) / kDown * p->view.height};
        return fit.at(SurfaceBasis::at(at, p->view.width, p->view.height));
    });
    const double w = p->view.width * p->view.geometry.pitch, h = p->view.height * p->view.geometry.pitch;
    const Measurement* angle = s.results.headline(s.run.toStdString(), q::gradientAngle);
    if (angle) arrow(plot, 0.5 * w, 0.5 * h, angle->value, 0.25 * std::min(w, h));
    out.map = true;
    out.text = tr("Span %1 e-/s/px, vignetting %2. %3")
                   .arg(valueText(m), valueText(s.results.headline(s.run.toStdString(), q::vignette)), shadesText(*drawn, "e-/s/px"));
    if (angle && !angle->note.empty()) out.text += tr(" It brightens %1.").arg(QString::fromStdString(angle->note));
    return out;
}

EvidenceDrawn alongGradient(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    const TrialResults& r = s.results;
    const QString& run = s.run;
    out.title = (tr("Sky across the frame, run %1").arg(run));
    const RunEvidence* e = of(r, run);
    const Measurement* m = r.headline(run.toStdString(), q::gradient);
    if (!e || !m) {
        out.text = (tr("This run has no gradient figure."));
        return out;
    }
    const PlaneHarvest* p = planeOf(*e, m->channel);
    const Surface& fit = e->surfaces.at(p->channel);
    const std::vector<char>& excluded = e->excludedCells.at(p->channel);
    const double size = std::max(std::hypot(fit.bx, fit.by), 1e-30), cx = fit.bx / size, cy = fit.by / size;
    auto* used = plot.addGraph();
    auto* left = plot.addGraph();
    auto* line = plot.addGraph();
    for (QCPGraph* g : {used, left}) g->setLineStyle(QCPGraph::lsNone);
    used->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colourOf(s, run.toStdString()), 3.5));
    QColor grey = theme().dim;
    grey.setAlpha(90);
    left->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCircle, grey, 3.5));
    line->setPen(QPen(theme().accent, 1.6));
    double low = 1e300, high = -1e300;
    for (std::size_t i = 0; i < p->mesh.cells.size(); ++i) {
        const MeshCell& c = p->mesh.cells[i];
        if (c.used == 0) continue;
        const SurfaceBasis b = SurfaceBasis::at(c.centre, p->view.width, p->view.height);
        const double along = b.u * cx + b.v * cy, flat = c.level - fit.q * b.rr;
        (excluded[i] ? left : used)->addData(along, flat);
        if (excluded[i]) continue;
        low = std::min(low, flat);
        high = std::max(high, flat);
    }
    line->addData(-1, fit.b0 - size);
    line->addData(1, fit.b0 + size);
    plot.xAxis->setLabel(tr("Place along the gradient (half diagonals)"));
    plot.yAxis->setLabel(tr("Sky in %1 (e-/s/px)").arg(QString::fromStdString(p->channel)));
    plot.xAxis->setRange(-1, 1);
    const double pad = 0.15 * std::max(high - low, 1e-9);
    plot.yAxis->setRange(low - pad, high + pad);
    out.text = (tr("Gradient %1 of the level, brightening towards %2\u00B0; vignetting %3. Open points: left out as nebula or halo.")
                    .arg(valueText(m), valueText(r.headline(run.toStdString(), q::gradientAngle)), valueText(r.headline(run.toStdString(), q::vignette))));
    return out;
}

EvidenceDrawn rowLevels(QCustomPlot& plot, const EvidenceSubject& s) {
    return levels(plot, s, q::bandingRows, tr("Rows of run %1").arg(s.run), tr("Row (px)"),
                  [](const PlaneHarvest& p) -> const Banding& { return p.banding.rows; });
}

EvidenceDrawn columnLevels(QCustomPlot& plot, const EvidenceSubject& s) {
    return levels(plot, s, q::bandingColumns, tr("Columns of run %1").arg(s.run), tr("Column (px)"),
                  [](const PlaneHarvest& p) -> const Banding& { return p.banding.columns; });
}

/// Where stars are wide: a tilted or curved field.
EvidenceDrawn widthMap(QCustomPlot& plot, const EvidenceSubject& s) {
    EvidenceDrawn out;
    out.title = tr("Star width across the frame, run %1").arg(s.run);
    const RunEvidence* e = of(s.results, s.run);
    const Measurement* m = s.results.headline(s.run.toStdString(), q::starFwhm);
    const PlaneHarvest* p = e && m ? planeOf(*e, m->channel) : nullptr;
    if (!p || !p->stars.psf || p->stars.psf->widths.empty()) {
        out.text = whyNot(s, q::starFwhm, tr("Star widths were not measured in this run."));
        return out;
    }
    constexpr int kAcross = 6, kDown = 4;
    std::vector<std::vector<double>> cells(kAcross * kDown);
    for (const Psf::Width& star : p->stars.psf->widths) {
        const int x = std::clamp(static_cast<int>(kAcross * star.at.x / p->view.width), 0, kAcross - 1),
                  y = std::clamp(static_cast<int>(kDown * star.at.y / p->view.height), 0, kDown - 1);
        cells[static_cast<std::size_t>(y * kAcross + x)].push_back(star.fwhm * p->view.geometry.pitch);
    }
    const QCPColorMap* drawn = map(plot, *p, kAcross, kDown, [&](int x, int y) {
        auto& cell = cells[static_cast<std::size_t>(y * kAcross + x)];
        if (cell.size() < 2) return std::nan("");
        std::nth_element(cell.begin(), cell.begin() + static_cast<std::ptrdiff_t>(cell.size() / 2), cell.end());
        return cell[cell.size() / 2];
    });
    out.map = true;
    const Measurement* tilt = s.results.headline(s.run.toStdString(), q::starTilt);
    out.text = tr("Median FWHM of %1 bright stars in each part, %2: %3 px over all%4. %5")
                   .arg(p->stars.psf->widths.size())
                   .arg(QString::fromStdString(p->channel), valueText(m), tilt ? tr("; worst corner over the middle %1").arg(valueText(tilt)) : QString(),
                        shadesText(*drawn, "px"));
    return out;
}

} // namespace caelumen::evidence
