#pragma once

#include "core/compare/evidence.h"

namespace caelumen {

/// Collects the figures of one run as they are computed.
class FigureSheet {
public:
    FigureSheet(TrialResults& results, const Run& run, const RunConditions& conditions)
        : m_results(results)
        , m_run(run)
        , m_conditions(conditions) {}
    Measurement& add(const std::string& channel, const std::string& quantity, const std::string& region, double value, double sigma,
                     std::vector<std::string> flags = {});
    void absent(const std::string& channel, const std::string& quantity, const std::string& region, const std::string& reason);
    const RunConditions& conditions() const { return m_conditions; }

private:
    TrialResults& m_results;
    const Run& m_run;
    const RunConditions& m_conditions;
};

/// How noise was told from what the sky shows in every stack of it.
enum class NoiseSource { Unknown, Halves, Runs };

/// A box noise with its error, and how much neighbouring pixels share noise.
struct BoxNoise {
    double value = 0, sigma = 0, correlation = 1; ///< e-/s/px; correlation: of a box's mean over that of as many white pixels
    double structure = 0, structureSigma = 0;     ///< variance of box means that more subs would not average down
    NoiseSource source = NoiseSource::Unknown;
    double pixelStructure = 0; ///< of that, in single pixels
    double unseenLight = 0;    ///< of stars too faint to hide, e-/s/px
    double inflation = 1;      ///< by how much the error of a mean exceeds that of white pixel noise: shared noise, or unevenness on the scale of mesh cells
    bool valid = false;
    std::vector<std::string> flags() const; ///< of all figures that rest on it
};

/// One plane with the sky model that belongs to it.
struct Sky {
    const PlaneHarvest* plane = nullptr;
    const Surface* surface = nullptr;
    const std::vector<char>* excluded = nullptr;
    std::optional<Structure> repeats; ///< variance of its boxes that other runs show too
    BoxNoise noise;                   ///< of this plane, computed once
};

/// For each plane (of run `runs[i]`) the variance of its boxes that repeats in other runs, scaled by the light of the stars that both show.
std::vector<std::optional<Structure>> whatRepeats(const std::vector<const Sky*>& planes, const std::vector<std::size_t>& runs, const StructureGrid& grid);

BoxNoise boxNoise(const Sky& sky, double scale_arcsec);

/// Error of the mean of `used` pixels of noise `pixelSigma`, times the inflation of BoxNoise.
double meanSigma(double pixelSigma, std::size_t used, double inflation);

/// How well the starlight under the masks is known: a good part of it, not all.
inline constexpr double kStarlightError = 0.3;

/// The level under a region: the sky surface shifted to the sky regions, or what stands in for it.
struct RegionSky {
    double level = 0, sigma = 0; ///< e-/s/px
    double shared = 0;           ///< part of sigma that is the error of the sky regions' own mean
    bool fallback = false;       ///< no surface: from sky regions alone
    bool valid = false;
};
RegionSky regionSky(const Sky& sky, const std::vector<Region>& regions, const SurfaceBasis& at, double inflation);

/// The level of the sky regions, or of the model where there are none.
struct Background {
    double level = 0, sigma = 0; ///< e-/s/px
    bool fromModel = false;
};
Background backgroundOf(const Sky& sky);

/// Figures of one run in the order of docs/measurements.md. `baseline`: the same channel of the baseline run; null where it has none. `perArea`: square
/// arcseconds of a stored pixel, 0 where the scale is not known.
void backgroundFigures(FigureSheet& sheet, const Sky& sky, const Sky* baseline, double perArea);
void gradientFigures(FigureSheet& sheet, const Sky& sky, const Site& site);
void artefactFigures(FigureSheet& sheet, const Sky& sky);
void starFigures(FigureSheet& sheet, const Sky& sky, const Sky* baseline);
void nebulaFigures(FigureSheet& sheet, const Trial& trial, const std::vector<Sky>& run, const std::vector<Sky>& baseline, bool isBaseline,
                   const RunConditions& baselineConditions, double perArea);
void haloFigures(FigureSheet& sheet, const Trial& trial, const Rig& rig, const std::vector<Sky>& skies, RunEvidence& evidence, const RunEvidence& baseline);
void colourFigures(FigureSheet& sheet, RunEvidence& evidence, const RunEvidence& baseline);

} // namespace caelumen
