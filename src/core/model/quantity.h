#pragma once

#include <span>
#include <string_view>

namespace caelumen {

enum class Better { Higher, Lower, Neither };

/// One measured quantity: what every table, chart, file and tooltip knows about it.
struct Quantity {
    std::string_view id;    ///< stable, as in results files; never shown
    std::string_view label; ///< shown
    std::string_view unit;  ///< as in results files: "e-/s/px", "1", "mag", "mag/arcsec2", "px", "arcsec", "deg", "1/deg2", "mm"
    Better better;
    std::string_view group; ///< the score it belongs to: background, nebula, halo, colour, gradient, stars, artefacts
    std::string_view about; ///< one sentence
};

/// The ids, as code says them: a slip of the pen does not compile.
namespace q {
inline constexpr const char *background = "background", *backgroundRatio = "background_ratio", *backgroundMag = "background_mag", *pixelNoise = "pixel_noise",
                            *boxNoise = "box_noise", *skyStructure = "sky_structure", *noiseCorrelation = "noise_correlation", *nebulaSignal = "nebula_signal",
                            *nebulaContrast = "nebula_contrast", *nebulaSnr = "nebula_snr", *nebulaSnrHour = "nebula_snr_hour", *timeRatio = "time_ratio",
                            *faintLimit = "faint_limit", *throughput = "throughput", *haloRadius = "halo_radius", *haloRadiusArcsec = "halo_radius_arcsec",
                            *haloHole = "halo_hole", *haloFluxFraction = "halo_flux_fraction", *haloDepth = "halo_depth", *haloOffset = "halo_offset",
                            *haloOffsetAngle = "halo_offset_angle", *haloGapMm = "halo_gap_mm", *haloCleanMag = "halo_clean_mag", *colourSlope = "colour_slope",
                            *colourCast = "colour_cast", *colourScatter = "colour_scatter", *gradient = "gradient", *gradientRate = "gradient_rate",
                            *gradientAngle = "gradient_angle", *vignette = "vignette", *gradientResidual = "gradient_residual", *starCount = "star_count",
                            *starDensity = "star_density", *starFwhm = "star_fwhm", *starFwhmArcsec = "star_fwhm_arcsec",
                            *starEccentricity = "star_eccentricity", *starTilt = "star_tilt", *starThroughput = "star_throughput",
                            *saturatedStars = "saturated_stars", *softness = "softness", *bandingRows = "banding_rows", *bandingColumns = "banding_columns";
} // namespace q

std::span<const Quantity> quantities();
const Quantity* quantity(std::string_view id); ///< null for an unknown id

} // namespace caelumen
