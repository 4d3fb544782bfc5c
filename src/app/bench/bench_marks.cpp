#include "app/bench/bench_marks.h"

#include "core/compare/evidence.h"
#include "core/model/quantity.h"

#include <QCoreApplication>

#include <cmath>

namespace caelumen {
namespace {

std::vector<StarDisc> maskedIn(const RunEvidence& e, const Measurement* figure) {
    std::vector<StarDisc> out;
    for (const PlaneHarvest& p : e.planes)
        if (p.discs && (!figure || p.channel == figure->channel)) out.insert(out.end(), p.discs->begin(), p.discs->end());
    return out;
}

/// Disc and hole on the baseline's grid, about the halo's own centre.
std::vector<StarDisc> ringsOf(const RunEvidence& e, const std::string& region, const std::string& channel, Point star) {
    std::vector<StarDisc> out;
    const auto it = e.halos.find(region + "/" + channel);
    if (it == e.halos.end()) return out;
    const Point there = e.alignment.map(star);
    for (const HaloRing& ring : it->second.rings) {
        const double angle = ring.offsetAngle_deg * M_PI / 180;
        const Point centre = e.alignment.unmap({there.x + ring.offset * std::cos(angle), there.y + ring.offset * std::sin(angle)});
        out.push_back({centre, ring.radius / e.alignment.scale});
        if (ring.holeSeen && ring.hole > 0) out.push_back({centre, ring.hole * ring.radius / e.alignment.scale});
    }
    return out;
}

/// The way on the frame of a position angle on the sky, degrees from +x towards +y.
double directionOf(const SkyCoordinates& wcs, double positionAngle) {
    const double zero = wcs.positionAngle(0), turn = std::remainder(wcs.positionAngle(90) - zero, 360.0);
    return turn > 0 ? positionAngle - zero : zero - positionAngle;
}

ViewMarks::Arrow arrow(Point from, double direction_deg, double length, const QString& tag) {
    const double a = direction_deg * M_PI / 180;
    return {from, {from.x + length * std::cos(a), from.y + length * std::sin(a)}, tag};
}

std::vector<ViewMarks::Arrow> directions(const Trial& trial, const TrialResults& r, const RunEvidence& e) {
    std::vector<ViewMarks::Arrow> out;
    const RunConditions *base = r.conditionsOf(r.baseline), *own = r.conditionsOf(e.run);
    if (!base || !own) return out;
    const Point middle{0.5 * base->width, 0.5 * base->height};
    const double length = 0.3 * std::min(base->width, base->height);
    if (const Measurement* m = r.headline(e.run, q::gradientAngle)) {
        const double a = m->value * M_PI / 180;
        const Point there = e.alignment.map(middle), tip = e.alignment.unmap({there.x + 100 * std::cos(a), there.y + 100 * std::sin(a)});
        out.push_back(
            arrow(middle, std::atan2(tip.y - middle.y, tip.x - middle.x) * 180 / M_PI, length, QCoreApplication::translate("BenchMarks", "sky brightens")));
    }
    if (!base->wcs || !own->sky || !own->sky->target || !trial.site.latitude_deg) return out;
    const auto towards = [&](const Horizontal& light, const QString& tag) {
        const double angle = positionAngleTowards(*own->sky->target, light, *trial.site.latitude_deg);
        out.push_back(arrow(middle, directionOf(*base->wcs, angle), 0.8 * length, tag));
    };
    if (own->sky->moon.alt_deg > 0) towards(own->sky->moon, QCoreApplication::translate("BenchMarks", "moon"));
    for (const LightDome& d : trial.site.domes) towards({0, d.azimuth_deg}, QCoreApplication::translate("BenchMarks", "light dome"));
    return out;
}

} // namespace

std::map<QString, ViewMarks> marksOf(const QString& score, const Trial& trial, const TrialResults& r, const std::string& region) {
    std::map<QString, ViewMarks> out;
    if (!r.evidence) return out;
    Point star;
    for (const Region& candidate : trial.regions)
        if (candidate.id == region) star = candidate.centre();
    for (const RunEvidence& e : *r.evidence) {
        ViewMarks marks;
        if (score == "nebula" || score == "background")
            marks.masked = maskedIn(e, score == "nebula" ? r.headline(e.run, q::nebulaSignal, region) : r.headline(e.run, q::background));
        if (score == "halo")
            if (const Measurement* m = r.headline(e.run, q::haloFluxFraction, region)) marks.rings = ringsOf(e, region, m->channel, star);
        if (score == "colour")
            if (const auto points = e.colours.find("B-R"); points != e.colours.end())
                for (const ColourPoint& p : points->second) marks.stars.push_back(p.place);
        if (score == "gradient") marks.arrows = directions(trial, r, e);
        out[QString::fromStdString(e.run)] = std::move(marks);
    }
    return out;
}

} // namespace caelumen
