#include "core/compare/results_archive.h"

#include "core/base/phrase.h"
#include "core/compare/evidence.h"

#include <algorithm>
#include <cereal/archives/portable_binary.hpp>
#include <cereal/types/array.hpp>
#include <cereal/types/map.hpp>
#include <cereal/types/optional.hpp>
#include <cereal/types/string.hpp>
#include <cereal/types/utility.hpp>
#include <cereal/types/vector.hpp>
#include <functional>
#include <sstream>

namespace caelumen {

// Which fields are kept of each; read and written by the same words.
#define CAELUMEN_KEPT(Type, ...)                                                                                                                               \
    template<class Archive>                                                                                                                                    \
    void serialize(Archive& archive, Type& x) {                                                                                                                \
        archive(__VA_ARGS__);                                                                                                                                  \
    }
CAELUMEN_KEPT(Point, x.x, x.y)
CAELUMEN_KEPT(Alignment, x.dx, x.dy, x.rotation_deg, x.scale, x.mirrored, x.rms_px, x.matched)
CAELUMEN_KEPT(RunAlignment, x.run, x.alignment)
CAELUMEN_KEPT(Measurement, x.run, x.filter, x.channel, x.quantity, x.region, x.value, x.sigma, x.flags, x.headline, x.note)
CAELUMEN_KEPT(Absence, x.run, x.channel, x.quantity, x.region, x.reason)
CAELUMEN_KEPT(Unfairness, x.run, x.subject, x.grade, x.quantities, x.text, x.normalised)
CAELUMEN_KEPT(RankedPair, x.better, x.worse, x.separated, x.moreSubs)
CAELUMEN_KEPT(RankedRun, x.run, x.value, x.sigma, x.rank)
CAELUMEN_KEPT(Ranking, x.quantity, x.region, x.runs, x.pairs)
CAELUMEN_KEPT(Horizontal, x.alt_deg, x.az_deg)
CAELUMEN_KEPT(SkyMoment, x.sun, x.moon, x.moonIlluminated, x.moonPhaseAngle_deg, x.moonDistance_km, x.moonWaxing, x.target, x.airmass, x.moonSeparation_deg,
              x.twilight)
/// By its cards, which are read again.
template<class Archive>
void save(Archive& archive, const std::optional<SkyCoordinates>& x) {
    archive(x ? x->cards() : std::string());
}
template<class Archive>
void load(Archive& archive, std::optional<SkyCoordinates>& x) {
    std::string cards;
    archive(cards);
    x = SkyCoordinates::read(cards);
}
CAELUMEN_KEPT(Fact, x.id, x.value, x.source, x.from)
CAELUMEN_KEPT(RunConditions, x.run, x.sub_exposure_s, x.total_s, x.sub_count, x.gain_e_per_adu, x.gainAssumed, x.scale_arcsec, x.focal_ratio, x.wcs,
              x.wcsOffset_px, x.nearInfrared, x.bits, x.sensor_temperature_c, x.gain_setting, x.offset_setting, x.night_transparency,
              x.night_transparency_sigma, x.moon_response, x.start, x.camera, x.combine, x.sky, x.width, x.height, x.flags, x.facts, x.conflicts)
CAELUMEN_KEPT(PlaneGeometry, x.pitch, x.origin, x.split)
CAELUMEN_KEPT(PlaneView, x.geometry, x.alignment, x.width, x.height)
CAELUMEN_KEPT(Star, x.x, x.y, x.flux, x.peak, x.rim, x.level, x.area, x.reach, x.a, x.b, x.above5, x.snr, x.saturated, x.blended, x.faint)
CAELUMEN_KEPT(Moffat, x.amplitude, x.x, x.y, x.base, x.cxx, x.cxy, x.cyy, x.beta)
CAELUMEN_KEPT(Psf::Width, x.at, x.fwhm)
CAELUMEN_KEPT(Psf, x.unit, x.split, x.wings, x.fwhm, x.fwhmSigma, x.eccentricity, x.eccentricitySigma, x.stars, x.tilt, x.tiltSigma, x.widths, x.growth,
              x.growthSigma)
CAELUMEN_KEPT(PlaneStars, x.stars, x.psf, x.typicalNoise, x.saturation)
CAELUMEN_KEPT(StarDisc, x.at, x.radius)
CAELUMEN_KEPT(MeshCell, x.centre, x.level, x.sigma, x.used)
CAELUMEN_KEPT(BackgroundMesh, x.cell, x.across, x.down, x.width, x.height, x.cells)
CAELUMEN_KEPT(PixelNoise, x.value, x.samples)
CAELUMEN_KEPT(Banding, x.variance, x.sigma, x.valid, x.levels)
CAELUMEN_KEPT(BandingPair, x.rows, x.columns)
CAELUMEN_KEPT(PlaneHarvest, x.channel, x.view, x.stars, x.mesh, x.noise, x.frameNoise, x.banding, x.boxSide, x.apertureRadius, x.skyValues, x.hiddenPart)
CAELUMEN_KEPT(Surface, x.b0, x.bx, x.by, x.q, x.covariance, x.residual, x.excess, x.coverage, x.cells, x.valid)
CAELUMEN_KEPT(HaloRing, x.radius, x.radiusSigma, x.inner, x.hole, x.holeSigma, x.holeMost, x.holeSeen, x.plateau, x.plateauSigma, x.fraction, x.fractionSigma,
              x.offset, x.offsetSigma, x.offsetAngle_deg)
CAELUMEN_KEPT(HaloExcess, x.radius, x.value, x.sigma, x.focus, x.rings, x.limitRadius, x.limit, x.unexplained, x.unexplainedSigma, x.wing, x.wingSigma)
CAELUMEN_KEPT(ColourPoint, x.x, x.xSigma, x.y, x.ySigma, x.place)
CAELUMEN_KEPT(ColourFit, x.slope, x.slopeSigma, x.cast, x.castSigma, x.scatter, x.scatterSigma, x.noiseLimited, x.medianIndex, x.stars)
CAELUMEN_KEPT(RunEvidence, x.run, x.alignment, x.planes, x.surfaces, x.excludedCells, x.halos, x.colours, x.colourFits)
CAELUMEN_KEPT(TrialResults, x.trial, x.baseline, x.alignment, x.measurements, x.absent, x.fairness, x.ranking, x.conditions, x.warnings)
#undef CAELUMEN_KEPT

namespace {

constexpr std::size_t kStars = 400; // of a plane: proposals look for the brightest
const std::string kMark = std::string("caelumen results 2, ") + programName();

/// What is hidden is the same in all runs of a channel, and is kept once.
using Discs = std::map<std::string, std::vector<StarDisc>>;

std::vector<RunEvidence> thinned(const std::vector<RunEvidence>& all, Discs& discs) {
    std::vector<RunEvidence> out;
    for (const RunEvidence& e : all) {
        RunEvidence kept;
        kept.run = e.run;
        kept.alignment = e.alignment;
        kept.surfaces = e.surfaces, kept.excludedCells = e.excludedCells, kept.halos = e.halos, kept.colours = e.colours, kept.colourFits = e.colourFits;
        for (const PlaneHarvest& p : e.planes) {
            PlaneHarvest plane;
            plane.channel = p.channel, plane.view = p.view, plane.mesh = p.mesh, plane.noise = p.noise, plane.frameNoise = p.frameNoise;
            plane.banding = p.banding, plane.boxSide = p.boxSide, plane.apertureRadius = p.apertureRadius, plane.skyValues = p.skyValues;
            plane.hiddenPart = p.hiddenPart;
            plane.stars = p.stars;
            auto& stars = plane.stars.stars;
            const auto brighter = [](const Star& a, const Star& b) { return a.saturated != b.saturated ? a.saturated : a.flux > b.flux; };
            const std::size_t n = std::min(kStars, stars.size());
            std::partial_sort(stars.begin(), stars.begin() + static_cast<std::ptrdiff_t>(n), stars.end(), brighter);
            stars.resize(n);
            if (p.discs) discs.try_emplace(p.channel, *p.discs);
            kept.planes.push_back(std::move(plane));
        }
        out.push_back(std::move(kept));
    }
    return out;
}

} // namespace

std::string packResults(const TrialResults& results) {
    std::ostringstream bytes(std::ios::binary);
    {
        cereal::PortableBinaryOutputArchive archive(bytes);
        Discs discs;
        std::vector<RunEvidence> evidence;
        if (results.evidence) evidence = thinned(*results.evidence, discs);
        archive(kMark, results, evidence, discs);
    }
    std::string body = std::move(bytes).str();
    const std::size_t sum = std::hash<std::string>{}(body);
    body.append(reinterpret_cast<const char*>(&sum), sizeof sum);
    return body;
}

Result<TrialResults> unpackResults(std::string_view bytes) {
    const Error damaged{phrase("These kept results are damaged or of another version.")};
    std::size_t sum = 0;
    if (bytes.size() <= sizeof sum) return damaged;
    std::string body(bytes.substr(0, bytes.size() - sizeof sum));
    std::copy_n(bytes.data() + body.size(), sizeof sum, reinterpret_cast<char*>(&sum));
    if (std::hash<std::string>{}(body) != sum) return damaged;
    try {
        std::istringstream stream(std::move(body), std::ios::binary);
        cereal::PortableBinaryInputArchive archive(stream);
        std::string mark;
        archive(mark);
        if (mark != kMark) return damaged;
        TrialResults results;
        std::vector<RunEvidence> evidence;
        Discs discs;
        archive(results, evidence, discs);
        std::map<std::string, SharedDiscs> shared;
        for (auto& [channel, list] : discs) shared[channel] = std::make_shared<const std::vector<StarDisc>>(std::move(list));
        for (RunEvidence& e : evidence)
            for (PlaneHarvest& p : e.planes) p.discs = shared[p.channel];
        if (!evidence.empty()) results.evidence = std::make_shared<const std::vector<RunEvidence>>(std::move(evidence));
        return results;
    } catch (const std::exception&) { // cereal's, or no memory
        return damaged;
    }
}

} // namespace caelumen
