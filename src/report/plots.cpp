#include "report/plots.h"

#include "core/base/statistics.h"
#include "core/model/quantity.h"
#include "report/local_number.h"

#include <QCoreApplication>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString say(const char* text) {
    return QCoreApplication::translate("caelumen::Plot", text);
}

const RunEvidence* evidenceOf(const TrialResults& r, const std::string& run) {
    if (!r.evidence) return nullptr;
    const auto it = std::find_if(r.evidence->begin(), r.evidence->end(), [&](const RunEvidence& e) { return e.run == run; });
    return it == r.evidence->end() ? nullptr : &*it;
}

/// A part of a quantile on either side, with some room.
std::pair<double, double> rangeOf(std::vector<double> v) {
    const double low = quantile(v, 0.005), high = quantile(v, 0.995), room = 0.1 * std::max(high - low, 0.1);
    return {low - room, high + room};
}

/// One run's excess as lines; `unit` divides all of it.
void addExcess(Plot& plot, const HaloExcess& x, double unit, const QColor& colour, const QColor& accent, bool alone) {
    Plot::Series excess{{}, colour, {}, {}, alone ? 1.5 : 1.4}, focus{{}, colour, {}, {}, 1, Qt::DotLine};
    for (std::size_t i = 0; i < x.radius.size(); ++i) {
        if (!(x.sigma[i] > 0)) continue;
        excess.points.emplace_back(x.radius[i], x.halo(i) / unit);
        focus.points.emplace_back(x.radius[i], x.value[i] / unit);
        if (alone) excess.band.emplace_back((x.halo(i) - x.sigma[i]) / unit, (x.halo(i) + x.sigma[i]) / unit);
    }
    plot.series.push_back(std::move(excess));
    if (alone) plot.series.push_back(std::move(focus));
    for (const HaloRing& ring : x.rings) {
        if (alone) plot.series.push_back({{}, accent, {{ring.inner, ring.plateau / unit}, {ring.radius, ring.plateau / unit}}, {}});
        plot.marks.push_back({ring.radius, alone ? accent : colour});
    }
}

} // namespace

Plot haloPlot(const Trial& trial, const TrialResults& r, const std::string& region, const PlotInk& ink, const std::string& alone) {
    struct Found {
        const std::string* run;
        const HaloExcess* excess;
        std::string channel;
    };
    std::vector<Found> found;
    double top = 0, reach = 10;
    for (const Run& run : trial.runs) {
        const RunEvidence* e = evidenceOf(r, run.id);
        const Measurement* m = r.headline(run.id, q::haloFluxFraction, region);
        if (!e || !m || (!alone.empty() && run.id != alone)) continue;
        const auto it = e->halos.find(region + "/" + m->channel);
        if (it == e->halos.end() || it->second.radius.empty()) continue;
        found.push_back({&run.id, &it->second, m->channel});
        top = std::max(top, it->second.top()), reach = std::max(reach, it->second.radius.back());
    }
    Plot plot;
    if (found.empty() || (alone.empty() && !(top > 0))) return plot;
    const double unit = top > 0 ? std::pow(10, std::floor(std::log10(top))) : 1, height = std::max(top / unit, 0.1);
    plot.title = say("Light around a star beyond the baseline's");
    plot.xLabel = say("Radius (px)");
    plot.yLabel = alone.empty() ? say("Excess light per px and star light (\u00D7 %1)").arg(localNumber(unit, 'e', 0))
                                : say("Excess in %1 (%2)").arg(QString::fromStdString(found[0].channel), localNumber(unit, 'e', 0));
    plot.low = {0, -0.7 * height}, plot.high = {reach, 2.3 * height};
    for (const Found& f : found) addExcess(plot, *f.excess, unit, ink.colourOf(*f.run), ink.accent, !alone.empty());
    return plot;
}

Plot colourPlot(const Trial& trial, const TrialResults& r, const std::string& index, const PlotInk& ink, const std::string& alone) {
    constexpr std::size_t kMost = 150; // of a run among several: more hide each other
    Plot plot;
    std::vector<double> xs, ys;
    for (const Run& run : trial.runs) {
        const RunEvidence* e = evidenceOf(r, run.id);
        const auto points = e ? e->colours.find(index) : decltype(e->colours.find(index)){};
        if (!e || points == e->colours.end() || points->second.empty() || (!alone.empty() && run.id != alone)) continue;
        Plot::Series dots{{}, ink.colourOf(run.id), {}, {}, 0, Qt::SolidLine, 3.6};
        const std::size_t step = alone.empty() ? std::max<std::size_t>(1, points->second.size() / kMost) : 1;
        for (std::size_t k = 0; k < points->second.size(); k += step) dots.points.emplace_back(points->second[k].x, points->second[k].y);
        for (const ColourPoint& p : points->second) xs.push_back(p.x), ys.push_back(p.y);
        plot.series.push_back(std::move(dots));
    }
    if (xs.empty()) return plot;
    const auto [x0, x1] = rangeOf(xs);
    const auto [y0, y1] = rangeOf(ys);
    plot.low = {x0, y0}, plot.high = {x1, y1};
    const QString name = QString::fromStdString(index);
    plot.title = say("Star colours %1 against the baseline").arg(name);
    plot.xLabel = say("%1 in the baseline (mag)").arg(name);
    plot.yLabel = say("%1 with the filter (mag)").arg(name);
    if (alone.empty()) return plot;
    const RunEvidence& e = *evidenceOf(r, alone);
    if (const auto it = e.colourFits.find(index); it != e.colourFits.end()) {
        const ColourFit& f = it->second;
        const auto line = [&](double slope, const QColor& colour, Qt::PenStyle pen) {
            const auto at = [&](double x) { return QPointF(x, f.medianIndex + f.cast + slope * (x - f.medianIndex)); };
            plot.series.push_back({{}, colour, {at(plot.low.x()), at(plot.high.x())}, {}, 1.5, pen});
        };
        line(f.slope, ink.accent, Qt::SolidLine);
        line(1, ink.dim, Qt::DashLine);
    }
    return plot;
}

Plot payoffPlot(const std::vector<PayoffLine>& lines) {
    constexpr int kYears = 10;
    Plot plot;
    QString currency;
    double low = 0, high = 0;
    for (const PayoffLine& line : lines) {
        const FilterValue& v = line.value;
        if (!v.price || !v.saves()) continue;
        currency = QString::fromStdString(v.currency);
        Plot::Series s{line.name, line.style.colour, {}, {}, 2, Qt::SolidLine, 0, line.style};
        const auto price = [&](double year, double hours) { return *v.price / (year * std::max(0.05 * v.hoursSaved, hours)); };
        for (double year = 1; year <= kYears; year += 0.25) {
            s.points.emplace_back(year, price(year, v.hoursSaved));
            s.band.emplace_back(price(year, v.hoursSaved + v.sigma), price(year, v.hoursSaved - v.sigma));
        }
        high = std::max(high, s.points.front().y());
        low = low > 0 ? std::min(low, s.points.back().y()) : s.points.back().y();
        plot.series.push_back(std::move(s));
    }
    plot.title = say("Price of an hour saved by the years of use");
    plot.xLabel = say("years of use");
    plot.yLabel = say("%1 for each hour saved").arg(currency.isEmpty() ? say("price") : currency);
    plot.logarithmic = true;
    plot.low = {1, low / 2}, plot.high = {kYears, high * 2};
    return plot;
}

} // namespace caelumen
