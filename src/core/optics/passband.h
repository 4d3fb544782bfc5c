#pragma once

#include "core/optics/curve.h"

#include <array>
#include <optional>

namespace caelumen {

/// One transmission band. Centre: the middle of the two half-peak crossings; FWHM: their distance, by linear interpolation at half of this band's own peak.
struct Band {
    double center_nm = 0, fwhm_nm = 0, peak = 0; ///< peak: transmission, 0 to 1
    double low_nm = 0, high_nm = 0;              ///< the crossings
    bool openLow = false, openHigh = false;      ///< the curve ends before it has fallen to the half: the crossing is the curve's end
};

/// The bands of a curve from short to long wavelengths. Two maxima are two bands when the curve falls below half of the lower one between them.
/// What peaks below 5 % or below an eighth of the highest peak is a leak and no band.
std::vector<Band> bandsOf(const Curve& curve);

/// The emission lines that filters are made for, one figure per doublet (docs/measurements.md).
enum class EmissionLine { Hbeta, OIII, Halpha, NII, SII };
inline constexpr std::array kLines{EmissionLine::Hbeta, EmissionLine::OIII, EmissionLine::Halpha, EmissionLine::NII, EmissionLine::SII};
const char* lineName(EmissionLine line);                ///< "Hb", "OIII", "Ha", "NII", "SII"
std::vector<double> lineWavelengths(EmissionLine line); ///< nm in air
/// Transmission at a line: at 500.68 nm for [O III], 658.35 nm for [N II], the mean of both for [S II].
double transmissionAt(const Curve& curve, EmissionLine line);

/// Light that a filter lets through where it should not. Optical densities are -log10 of a transmission, at most 9.
struct Leaks {
    std::optional<double> meanDensity,
        worstDensity; ///< 400 to 700 nm, farther than 1.5 FWHM from the centre of every band; absent when nothing is left or the curve does not reach it
    std::optional<double> worst_nm;     ///< where the worst is
    std::optional<double> nearInfrared; ///< mean transmission 700 to 1000 nm; absent when the curve covers less than nine tenths of it
};
Leaks leaksOf(const Curve& curve, const std::vector<Band>& bands);

} // namespace caelumen
