#include "core/model/quantity.h"

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

using enum Better;
constexpr std::array kQuantities{
    Quantity{q::background, "Background", "e-/s/px", Lower, "background", "Sky level in the sky regions, stars masked, clipped at 3 sigma."},
    Quantity{q::backgroundRatio, "Background against baseline", "1", Lower, "background", "Background over the baseline's, per square arcsecond."},
    Quantity{q::backgroundMag, "Sky darkening", "mag", Higher, "background", "-2.5 log10 of the background ratio: positive is darker than the baseline."},
    Quantity{q::pixelNoise, "Pixel noise", "e-/s/px", Lower, "background", "Scatter of sky pixels, from the differences of pixels six apart."},
    Quantity{q::boxNoise, "Box noise", "e-/s/px", Lower, "background",
             "Noise of the means of empty 10 arcsec boxes, which faint nebula has to beat and more subs average down."},
    Quantity{q::skyStructure, "Sky structure", "e-/s/px", Neither, "background",
             "What boxes of 10 arcsec differ by beside their noise, in every stack alike: stars too faint to mask, gas, galaxies."},
    Quantity{q::noiseCorrelation, "Noise correlation", "1", Lower, "background", "How much neighbouring pixels share noise; 1 is none."},
    Quantity{q::nebulaSignal, "Nebula signal", "e-/s/px", Higher, "nebula", "Mean of the nebula region above the sky surface, stars masked."},
    Quantity{q::nebulaContrast, "Nebula contrast", "1", Higher, "nebula", "Nebula signal over background."},
    Quantity{q::nebulaSnr, "Nebula SNR", "1", Higher, "nebula", "Nebula signal over box noise: what one 10 arcsec box shows in this stack."},
    Quantity{q::nebulaSnrHour, "Nebula SNR in one hour", "1", Higher, "nebula", "Nebula SNR scaled to one hour of integration."},
    Quantity{q::timeRatio, "Time ratio", "1", Higher, "nebula",
             "One hour with this filter is worth this many hours of the baseline on this nebula under this sky."},
    Quantity{q::faintLimit, "Faint limit", "e-/s/px", Lower, "nebula", "Five box noises in one hour."},
    Quantity{q::throughput, "Nebula throughput", "1", Higher, "nebula", "Nebula signal over the baseline's, per square arcsecond."},
    Quantity{q::haloRadius, "Halo radius", "px", Lower, "halo", "Where the outer edge of the excess light falls to half of its plateau."},
    Quantity{q::haloRadiusArcsec, "Halo radius", "arcsec", Lower, "halo", "The halo's radius on the sky."},
    Quantity{q::haloHole, "Halo hole", "1", Neither, "halo", "Inner edge of the halo over its outer edge: 0 is a disc, near 1 a thin ring."},
    Quantity{q::haloFluxFraction, "Halo light", "1", Lower, "halo", "Excess light within the halo over the star's light."},
    Quantity{q::haloDepth, "Halo depth", "mag/arcsec2", Higher, "halo", "Surface brightness of the halo's plateau against its star: larger is fainter."},
    Quantity{q::haloOffset, "Halo offset", "px", Lower, "halo", "Centre of the halo minus the star: a tilted surface."},
    Quantity{q::haloOffsetAngle, "Halo offset direction", "deg", Neither, "halo", "Direction of the offset, from +x towards +y."},
    Quantity{q::haloGapMm, "Gap that explains the halo", "mm", Neither, "halo", "Air gap whose double reflection makes a disc of this size at this f-ratio."},
    Quantity{q::haloCleanMag, "Clean down to", "mag", Lower, "halo",
             "Brightest star whose halo stays under one box noise in this stack; magnitude 0 is one electron per second in this channel."},
    Quantity{q::colourSlope, "Star colour kept", "1", Higher, "colour", "Slope of the filter's star colours on the baseline's: 1 keeps all colour, 0 none."},
    Quantity{q::colourCast, "Colour cast", "mag", Neither, "colour", "Shift at the median star colour: a white balance removes it."},
    Quantity{q::colourScatter, "Colour scatter", "mag", Lower, "colour", "Scatter about the fit beyond photon noise: no white balance removes it."},
    Quantity{q::gradient, "Gradient", "1", Lower, "gradient", "Span of the fitted sky plane over the corners, over the level at the centre."},
    Quantity{q::gradientRate, "Gradient", "e-/s/px", Lower, "gradient", "Span of the fitted sky plane over the corners."},
    Quantity{q::gradientAngle, "Gradient direction", "deg", Neither, "gradient", "Direction in which the sky brightens, from +x towards +y."},
    Quantity{q::vignette, "Vignette", "1", Neither, "gradient", "Corner minus centre of the radial term over the level: a flat-field matter."},
    Quantity{q::gradientResidual, "Gradient residual", "e-/s/px", Lower, "gradient", "What the sky model leaves over, rms of its cells."},
    Quantity{q::starCount, "Stars", "1", Higher, "stars", "Stars above 5 sigma on the frame."},
    Quantity{q::starDensity, "Star density", "1/deg2", Higher, "stars", "Stars above 5 sigma per square degree."},
    Quantity{q::starFwhm, "Star FWHM", "px", Lower, "stars", "Median of unsaturated stars, Moffat fits."},
    Quantity{q::starFwhmArcsec, "Star FWHM", "arcsec", Lower, "stars", "The same on the sky."},
    Quantity{q::starEccentricity, "Star eccentricity", "1", Lower, "stars", "Median sqrt(1 - (b/a)^2): 0 is round."},
    Quantity{q::starTilt, "Star tilt", "1", Lower, "stars", "FWHM in the worst corner over the centre: a tilted or curved field."},
    Quantity{q::starThroughput, "Star throughput", "1", Neither, "stars", "Median flux of matched stars over the baseline's."},
    Quantity{q::saturatedStars, "Saturated stars", "1", Neither, "stars", "Stars with saturated pixels."},
    Quantity{q::softness, "Softness", "1", Lower, "stars", "FWHM over the baseline's, on the sky."},
    Quantity{q::bandingRows, "Row banding", "e-/s/px", Lower, "artefacts", "Scatter of whole rows beyond noise."},
    Quantity{q::bandingColumns, "Column banding", "e-/s/px", Lower, "artefacts", "Scatter of whole columns beyond noise."},
};

} // namespace

std::span<const Quantity> quantities() {
    return kQuantities;
}

const Quantity* quantity(std::string_view id) {
    const auto it = std::find_if(kQuantities.begin(), kQuantities.end(), [&](const Quantity& q) { return q.id == id; });
    return it == kQuantities.end() ? nullptr : &*it;
}

} // namespace caelumen
