#pragma once

#include "core/measure/banding.h"
#include "core/measure/halo.h"
#include "core/measure/noise.h"
#include "core/measure/region_sum.h"
#include "core/measure/structure.h"
#include "core/measure/surface.h"
#include "core/measure/unmasked_starlight.h"
#include "core/stars/photometry.h"
#include "core/stars/scaled_star.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// What is found in a plane before anything is known about other runs.
struct PlaneStars {
    std::vector<Star> stars;
    std::optional<Psf> psf;
    double typicalNoise = 0; ///< of a pixel, plane units
    double saturation = 0;   ///< plane units

    /// Stars of five sigmas and more, by the signal to noise of their light.
    int counted() const;
};
/// The sky that stars are found on: fine, so that stars on nebula stand on their own sky.
SmoothSky findingSky(const Plane& plane);
PlaneStars findStars(const Plane& plane, double knownSaturation, Point split = {}); ///< split: as in PlaneGeometry
/// Turns the plane's defects into NaN first.
FirstLook lookForStars(Plane& plane, const SmoothSky& sky, RowExtremes known = {});
/// The same stars in a plane that was looked over.
PlaneStars findStars(const Plane& plane, const SmoothSky& sky, const FirstLook& look, double knownSaturation, Point split = {});

/// The star image alone, as findStars has it.
std::optional<Psf> starImage(const Plane& plane, const SmoothSky& sky, const FirstLook& look, double knownSaturation, Point split);

/// Light of the star near a place from its unsaturated pixels; nothing when there is none or it cannot be fitted.
std::optional<ScaledStar> starFlux(const Plane& plane, const PlaneStars& stars, Point guess);

/// What a plane is measured with.
struct HarvestRequest {
    std::string channel;
    PlaneView view;
    std::optional<double> arcsecPerStoredPixel = {};
    double total_s = 0; ///< integration, for photon noise
    const std::vector<Region>* regions = nullptr;
    SharedDiscs discs = nullptr;                    ///< what is hidden in all runs alike (commonDiscs); null: the plane's own stars
    StructureGrid grid;                             ///< where all runs put the same boxes
    const std::vector<Point>* photometry = nullptr; ///< baseline pixels
    double apertureRadius = 0;                      ///< baseline pixels
    double haloReach = 0;                           ///< baseline pixels
    const Plane* halves = nullptr;                  ///< what the plane's odd and even halves differ by, as noisy as the plane itself; null where there are none
    Mask* spare = nullptr;                          ///< memory for the mask, given back for the next plane's
};

/// Everything that is taken from a plane's pixels, small enough to keep for all runs: every figure is computed from these.
struct PlaneHarvest {
    std::string channel;
    PlaneView view;
    PlaneStars stars;
    SharedDiscs discs;                        ///< what was hidden
    BackgroundMesh mesh;                      ///< star-masked
    RegionSum sky;                            ///< all sky regions pooled
    std::map<std::string, RegionSum> regions; ///< each nebula and sky region
    PixelNoise noise;                         ///< in the sky regions, where they hold enough
    PixelNoise frameNoise;                    ///< across the frame
    BandingPair banding;
    int boxSide = 1;
    NoiseBoxes boxes;
    NoiseBoxes halfBoxes;             ///< the same of what half stacks differ by: noise alone; empty without halves
    std::vector<float> structure;     ///< the boxes that all runs have, on HarvestRequest::grid
    double apertureRadius = 0;        ///< plane pixels
    std::vector<ApertureFlux> fluxes; ///< in the order of HarvestRequest::photometry
    std::map<std::string, Result<HaloProfile>> halos;
    std::vector<float> skyValues; ///< for a histogram
    double hiddenPart = 0;        ///< part of the frame hidden by stars
};
PlaneHarvest harvestPlane(const Plane& plane, PlaneStars stars, const HarvestRequest& request);

/// The baseline's stars whose light is measured in all channels and runs: unsaturated, unblended, lonely; brightest first.
std::vector<Point> photometryStars(const PlaneStars& stars, const PlaneView& view, std::size_t limit = 1500);

} // namespace caelumen
