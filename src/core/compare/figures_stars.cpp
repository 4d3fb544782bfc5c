#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/compare/figures.h"
#include "core/compare/gaps.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/optics/spacing.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

const PlaneHarvest* planeOf(const RunEvidence& run, const std::string& channel) {
    for (const PlaneHarvest& p : run.planes)
        if (p.channel == channel) return &p;
    if (run.planes.size() == 1) return &run.planes.front();
    return nullptr;
}

/// The disc a limit is given for, stored pixels: the largest that the gaps predict within reach, else 1 arcmin.
double expectedRadius(const Rig& rig, const RunConditions& c, double most) {
    double best = 0;
    if (c.focal_ratio && rig.pixel_um) {
        const auto offer = [&](double mm) {
            const double px = ghostRadius_px(mm, *rig.pixel_um, *c.focal_ratio);
            if (px < most) best = std::max(best, px);
        };
        for (const auto& [name, mm] : rig.gaps_mm) offer(mm);
        if (best == 0 && rig.filter_thickness_mm) offer(glassAsAir_mm(*rig.filter_thickness_mm));
    }
    if (best > 0) return best;
    return c.scale_arcsec ? 60 / *c.scale_arcsec : 40;
}

constexpr std::array kHaloQuantities{q::haloCleanMag, q::haloRadius, q::haloRadiusArcsec, q::haloHole, q::haloFluxFraction,
                                     q::haloDepth,    q::haloOffset, q::haloOffsetAngle,  q::haloGapMm};

/// The figures of the light around one star in one channel.
class HaloFigures {
public:
    HaloFigures(FigureSheet& sheet, const PlaneHarvest& plane, const std::string& region, const Rig& rig)
        : m_sheet(sheet)
        , m_conditions(sheet.conditions())
        , m_plane(plane)
        , m_region(region)
        , m_rig(rig) {}

    void none(const std::string& why) {
        for (const char* q : kHaloQuantities) absent(q, m_region, why);
    }

    void mark(const std::string& what) { m_flags.push_back(what); }

    void ring(const HaloRing& ring, int n) {
        const std::string id = n == 1 ? m_region : fmt::format("{}#{}", m_region, n);
        add(q::haloRadius, id, ring.radius, ring.radiusSigma);
        if (ring.holeSeen)
            add(q::haloHole, id, ring.hole, ring.holeSigma);
        else
            add(q::haloHole, id, ring.holeMost, ring.holeMost / 3, flag::upperLimit);
        add(q::haloFluxFraction, id, ring.fraction, ring.fractionSigma);
        add(q::haloOffset, id, ring.offset, ring.offsetSigma);
        add(q::haloOffsetAngle, id, ring.offsetAngle_deg, std::min(104.0, std::atan2(ring.offsetSigma, ring.offset) * 180 / M_PI));
        if (const auto scale = m_conditions.scale_arcsec) {
            add(q::haloRadiusArcsec, id, ring.radius * *scale, ring.radiusSigma * *scale);
            add(q::haloDepth, id, depth(ring.plateau), 1.0857 * ring.plateauSigma / ring.plateau);
        } else {
            for (const char* q : {q::haloRadiusArcsec, q::haloDepth}) absent(q, id, scaleUnknown());
        }
        if (m_conditions.focal_ratio && m_rig.pixel_um) {
            const double gap = ghostGap_mm(ring.radius, *m_rig.pixel_um, *m_conditions.focal_ratio);
            add(q::haloGapMm, id, gap, gap * ring.radiusSigma / ring.radius).note = explainGap(gap, m_rig);
        } else {
            absent(q::haloGapMm, id, phrase("the f-ratio or the pixel size is unknown"));
        }
    }

    /// Nothing that is a disc or a ring: light of no round shape, or none above a limit.
    void noRing(const HaloExcess& excess) {
        const std::string why = excess.unexplained > 0 ? phrase("light stands out around this star, but neither a disc nor a ring with an edge all round")
                                                       : phrase("no halo stands out of the noise around this star");
        for (const char* q : {q::haloRadius, q::haloRadiusArcsec, q::haloHole, q::haloOffset, q::haloOffsetAngle, q::haloGapMm}) absent(q, m_region, why);
        if (excess.unexplained > 0) {
            add(q::haloFluxFraction, m_region, excess.unexplained, excess.unexplainedSigma, flag::unexplainedLight).note =
                phrase("light of no round shape: no limit can be stated for a halo under it");
            absent(q::haloDepth, m_region, phrase("light that is neither disc nor ring stands out around this star, so that no limit can be stated"));
        } else if (excess.limit > 0) {
            mark(flag::upperLimit);
            const double fraction = excess.limit * M_PI * excess.limitRadius * excess.limitRadius;
            add(q::haloFluxFraction, m_region, fraction, fraction / 3);
            if (m_conditions.scale_arcsec)
                add(q::haloDepth, m_region, depth(excess.limit), 1.0857 / 3);
            else
                absent(q::haloDepth, m_region, scaleUnknown());
        } else {
            for (const char* q : {q::haloFluxFraction, q::haloDepth}) absent(q, m_region, phrase("the surroundings of the star hold too few free pixels"));
        }
    }

    /// The star whose plateau is as bright as one box noise.
    void cleanMagnitude(const HaloExcess& excess, const Sky* sky) {
        const double perPixel = m_plane.view.geometry.pitch * m_plane.view.geometry.pitch; // figures are per stored pixel, planes of a mosaic are not
        const bool seen = !excess.rings.empty();
        const double plateau = (seen ? excess.rings.front().plateau : excess.limit) * perPixel;
        const double plateauSigma = (seen ? excess.rings.front().plateauSigma : excess.limit / 3) * perPixel;
        if (!sky || !sky->noise.valid || !(plateau > 0))
            return absent(q::haloCleanMag, m_region,
                          excess.unexplained > 0 ? phrase("light around this star is unexplained")
                                                 : phrase("the noise of 10 arcsec boxes or the halo is not known"));
        add(q::haloCleanMag, m_region, -2.5 * std::log10(sky->noise.value / plateau),
            1.0857 * std::hypot(plateauSigma / plateau, sky->noise.sigma / sky->noise.value));
    }

private:
    Measurement& add(const char* q, const std::string& id, double value, double sigma, const char* more = nullptr) {
        auto flags = m_flags;
        if (more) flags.push_back(more);
        return m_sheet.add(m_plane.channel, q, id, value, sigma, std::move(flags));
    }
    void absent(const char* q, const std::string& id, const std::string& why) { m_sheet.absent(m_plane.channel, q, id, why); }
    static std::string scaleUnknown() { return phrase("the pixel scale is unknown; give pixel size and focal length"); }
    double depth(double plateau) const { return -2.5 * std::log10(plateau / (*m_conditions.scale_arcsec * *m_conditions.scale_arcsec)); }

    FigureSheet& m_sheet;
    const RunConditions& m_conditions;
    const PlaneHarvest& m_plane;
    const std::string& m_region;
    const Rig& m_rig;
    std::vector<std::string> m_flags;
};

} // namespace

void haloFigures(FigureSheet& sheet, const Trial& trial, const Rig& rig, const std::vector<Sky>& skies, RunEvidence& evidence, const RunEvidence& baseline) {
    for (const Region& region : trial.regions) {
        if (region.role != RegionRole::HaloStar) continue;
        for (const PlaneHarvest& plane : evidence.planes) {
            HaloFigures figures(sheet, plane, region.id, rig);
            const PlaneHarvest* base = planeOf(baseline, plane.channel);
            const auto own = plane.halos.find(region.id);
            if (!base || own == plane.halos.end() || base->halos.find(region.id) == base->halos.end()) {
                figures.none(phrase("the baseline has no such channel"));
                continue;
            }
            const auto& theirs = base->halos.find(region.id)->second;
            if (!own->second || !theirs) {
                figures.none(!own->second ? own->second.error().message : phrase("in the baseline, ") + theirs.error().message);
                continue;
            }
            const double most = 0.8 * static_cast<double>(own->second->value.size()) * plane.view.geometry.pitch;
            HaloExcess excess =
                haloExcess(*own->second, *theirs, evidence.alignment.scale, rig.obstruction.value_or(0), expectedRadius(rig, sheet.conditions(), most));
            if (own->second->blind > 3.01 * own->second->fwhm && !own->second->fromShort) figures.mark(flag::saturated);
            int n = 0;
            for (const HaloRing& ring : excess.rings) figures.ring(ring, ++n);
            if (excess.rings.empty()) figures.noRing(excess);
            const auto sky = std::find_if(skies.begin(), skies.end(), [&](const Sky& x) { return x.plane == &plane; });
            figures.cleanMagnitude(excess, sky == skies.end() ? nullptr : &*sky);
            evidence.halos[region.id + "/" + plane.channel] = std::move(excess);
        }
    }
}

void colourFigures(FigureSheet& sheet, RunEvidence& evidence, const RunEvidence& baseline) {
    constexpr std::array<std::pair<const char*, const char*>, 3> indices{{{"B", "R"}, {"B", "G"}, {"G", "R"}}};
    for (const auto& pair : indices) {
        const char *const first = pair.first, *const second = pair.second;
        const std::string index = std::string(first) + "-" + second;
        const auto none = [&](const std::string& why) {
            for (const char* q : {q::colourSlope, q::colourCast, q::colourScatter}) sheet.absent(index, q, "", why);
        };
        if (evidence.planes.size() < 3 || baseline.planes.size() < 3) {
            none(phrase("star colours need three channels in this run and in the baseline"));
            continue;
        }
        std::vector<ColourPoint> points;
        const std::size_t count = evidence.planes[0].fluxes.size();
        for (std::size_t i = 0; i < count; ++i) {
            bool good = true;
            for (const RunEvidence* run : {&std::as_const(evidence), &baseline})
                for (const PlaneHarvest& p : run->planes) good = good && i < p.fluxes.size() && p.fluxes[i].usable && p.fluxes[i].flux > 20 * p.fluxes[i].sigma;
            if (!good) continue;
            const auto indexOf = [&](const RunEvidence& run, double& sigma) {
                const ApertureFlux &x = planeOf(run, first)->fluxes[i], &y = planeOf(run, second)->fluxes[i];
                sigma = 2.5 / std::log(10.0) * std::hypot(x.sigma / x.flux, y.sigma / y.flux);
                return -2.5 * std::log10(x.flux / y.flux);
            };
            ColourPoint p;
            p.x = indexOf(baseline, p.xSigma);
            p.y = indexOf(evidence, p.ySigma);
            if (i < evidence.starsMeasured.size()) p.place = evidence.starsMeasured[i];
            points.push_back(p);
        }
        if (points.size() < 8) {
            none(phrase("fewer than 8 matched stars above SNR 20 in every channel of both runs"));
            continue;
        }
        const auto fit = fitColour(points);
        evidence.colours[index] = points;
        if (!fit) {
            none(phrase("the matched stars are too much of one colour for a slope"));
            continue;
        }
        evidence.colourFits[index] = *fit;
        const std::vector<std::string> few = points.size() < 25 ? std::vector<std::string>{flag::fewStars} : std::vector<std::string>{};
        const bool head = index == "B-R";
        sheet.add(index, q::colourSlope, "", fit->slope, fit->slopeSigma, few).headline = head;
        sheet.add(index, q::colourCast, "", fit->cast, fit->castSigma, few).headline = head;
        auto scatterFlags = few;
        if (fit->noiseLimited) scatterFlags.push_back(flag::noiseLimited);
        sheet.add(index, q::colourScatter, "", fit->scatter, fit->scatterSigma, scatterFlags).headline = head;
    }
}

} // namespace caelumen
