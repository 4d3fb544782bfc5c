#pragma once

#include <functional>
#include <numbers>
#include <vector>

namespace caelumen {

/// Lines by which nebulae shine, nm in air (NIST Atomic Spectra Database).
inline constexpr double kHalpha_nm = 656.28, kHbeta_nm = 486.13, kOIII_nm = 500.68, kOIIIb_nm = 495.89;
inline constexpr double kNIIa_nm = 654.81, kNIIb_nm = 658.35, kSIIa_nm = 671.64, kSIIb_nm = 673.08;

/// Photons s^-1 cm^-2 arcsec^-2 of one rayleigh: 10^6 / 4 pi photons s^-1 cm^-2 sr^-1.
inline constexpr double kArcsec_rad = std::numbers::pi / 180 / 3600, kRayleigh = 1e6 / (4 * std::numbers::pi) * kArcsec_rad * kArcsec_rad;

/// Photons per nm against wavelength (nm), in any unit; normalised where it is used.
using Spectrum = std::function<double(double)>;

/// Black body (Planck 1901), photons.
Spectrum blackBody(double kelvin);

/// Parts of the V light of a town by kind of lamp.
struct LampMix {
    double highPressureSodium = 0.5, lowPressureSodium = 0.1, metalHalide = 0.1, ledWarm = 0.15, ledCool = 0.15;
    friend bool operator==(const LampMix&, const LampMix&) = default;
};
/// Street light scattered by air: each lamp with equal V light, mixed. Smooth models of lamp lines and phosphors.
Spectrum streetLight(const LampMix& mix);
/// Airglow lines (O I 557.7, 630.0, Na 589) on a faint continuum, and zodiacal light (sunlight).
Spectrum naturalSky();
/// Sunlight off the moon, blued by scattering.
Spectrum moonlitSky();

/// Photons s^-1 cm^-2 nm^-1 of a source of V magnitude 0 at 550 nm (Bessell et al. 1998, A&A 333, 231: 996 per angstrom).
inline constexpr double kPhotonsV0 = 9960;
/// Scale that gives `s` the brightness of V = 0 over the V band (a triangle of 505 to 595 nm about 550).
double scaledToV0(const Spectrum& s);

/// Integral of spectrum times response over 350 to 1050 nm, 0.5 nm steps.
double integrate(const Spectrum& spectrum, const std::function<double(double)>& response);

} // namespace caelumen
