#include "core/model/quantity.h"

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

using enum Better;
constexpr std::array kQuantities{
    Quantity{"background", "Background", "e-/s/px", Lower, "background", "Sky level in the sky regions, stars masked, clipped at 3 sigma."},
    Quantity{"background_ratio", "Background against baseline", "1", Lower, "background", "Background over the baseline's, per square arcsecond."},
    Quantity{"background_mag", "Sky darkening", "mag", Higher, "background", "-2.5 log10 of the background ratio: positive is darker than the baseline."},
    Quantity{"pixel_noise", "Pixel noise", "e-/s/px", Lower, "background", "Scatter of sky pixels, from the differences of pixels six apart."},
    Quantity{"box_noise", "Box noise", "e-/s/px", Lower, "background",
             "Noise of the means of empty 10 arcsec boxes, which faint nebula has to beat and more subs average down."},
    Quantity{"sky_structure", "Sky structure", "e-/s/px", Neither, "background",
             "What boxes of 10 arcsec differ by beside their noise, in every stack alike: stars too faint to mask, gas, galaxies."},
    Quantity{"noise_correlation", "Noise correlation", "1", Lower, "background", "How much neighbouring pixels share noise; 1 is none."},
    Quantity{"nebula_signal", "Nebula signal", "e-/s/px", Higher, "nebula", "Mean of the nebula region above the sky surface, stars masked."},
    Quantity{"nebula_contrast", "Nebula contrast", "1", Higher, "nebula", "Nebula signal over background."},
    Quantity{"nebula_snr", "Nebula SNR", "1", Higher, "nebula", "Nebula signal over box noise: what one 10 arcsec box shows in this stack."},
    Quantity{"nebula_snr_hour", "Nebula SNR in one hour", "1", Higher, "nebula", "Nebula SNR scaled to one hour of integration."},
    Quantity{"time_ratio", "Time ratio", "1", Higher, "nebula",
             "One hour with this filter is worth this many hours of the baseline on this nebula under this sky."},
    Quantity{"faint_limit", "Faint limit", "e-/s/px", Lower, "nebula", "Five box noises in one hour."},
    Quantity{"throughput", "Nebula throughput", "1", Higher, "nebula", "Nebula signal over the baseline's, per square arcsecond."},
    Quantity{"halo_radius", "Halo radius", "px", Lower, "halo", "Where the outer edge of the excess light falls to half of its plateau."},
    Quantity{"halo_radius_arcsec", "Halo radius", "arcsec", Lower, "halo", "The halo's radius on the sky."},
    Quantity{"halo_hole", "Halo hole", "1", Neither, "halo", "Inner edge of the halo over its outer edge: 0 is a disc, near 1 a thin ring."},
    Quantity{"halo_flux_fraction", "Halo light", "1", Lower, "halo", "Excess light within the halo over the star's light."},
    Quantity{"halo_depth", "Halo depth", "mag/arcsec2", Higher, "halo", "Surface brightness of the halo's plateau against its star: larger is fainter."},
    Quantity{"halo_offset", "Halo offset", "px", Lower, "halo", "Centre of the halo minus the star: a tilted surface."},
    Quantity{"halo_offset_angle", "Halo offset direction", "deg", Neither, "halo", "Direction of the offset, from +x towards +y."},
    Quantity{"halo_gap_mm", "Gap that explains the halo", "mm", Neither, "halo", "Air gap whose double reflection makes a disc of this size at this f-ratio."},
    Quantity{"halo_clean_mag", "Clean down to", "mag", Lower, "halo",
             "Brightest star whose halo stays under one box noise in this stack; magnitude 0 is one electron per second in this channel."},
    Quantity{"colour_slope", "Star colour kept", "1", Higher, "colour", "Slope of the filter's star colours on the baseline's: 1 keeps all colour, 0 none."},
    Quantity{"colour_cast", "Colour cast", "mag", Neither, "colour", "Shift at the median star colour: a white balance removes it."},
    Quantity{"colour_scatter", "Colour scatter", "mag", Lower, "colour", "Scatter about the fit beyond photon noise: no white balance removes it."},
    Quantity{"gradient", "Gradient", "1", Lower, "gradient", "Span of the fitted sky plane over the corners, over the level at the centre."},
    Quantity{"gradient_rate", "Gradient", "e-/s/px", Lower, "gradient", "Span of the fitted sky plane over the corners."},
    Quantity{"gradient_angle", "Gradient direction", "deg", Neither, "gradient", "Direction in which the sky brightens, from +x towards +y."},
    Quantity{"vignette", "Vignette", "1", Neither, "gradient", "Corner minus centre of the radial term over the level: a flat-field matter."},
    Quantity{"gradient_residual", "Gradient residual", "e-/s/px", Lower, "gradient", "What the sky model leaves over, rms of its cells."},
    Quantity{"star_count", "Stars", "1", Higher, "stars", "Stars above 5 sigma on the frame."},
    Quantity{"star_density", "Star density", "1/deg2", Higher, "stars", "Stars above 5 sigma per square degree."},
    Quantity{"star_fwhm", "Star FWHM", "px", Lower, "stars", "Median of unsaturated stars, Moffat fits."},
    Quantity{"star_fwhm_arcsec", "Star FWHM", "arcsec", Lower, "stars", "The same on the sky."},
    Quantity{"star_eccentricity", "Star eccentricity", "1", Lower, "stars", "Median sqrt(1 - (b/a)^2): 0 is round."},
    Quantity{"star_tilt", "Star tilt", "1", Lower, "stars", "FWHM in the worst corner over the centre: a tilted or curved field."},
    Quantity{"star_throughput", "Star throughput", "1", Neither, "stars", "Median flux of matched stars over the baseline's."},
    Quantity{"saturated_stars", "Saturated stars", "1", Neither, "stars", "Stars with saturated pixels."},
    Quantity{"softness", "Softness", "1", Lower, "stars", "FWHM over the baseline's, on the sky."},
    Quantity{"banding_rows", "Row banding", "e-/s/px", Lower, "artefacts", "Scatter of whole rows beyond noise."},
    Quantity{"banding_columns", "Column banding", "e-/s/px", Lower, "artefacts", "Scatter of whole columns beyond noise."},
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
