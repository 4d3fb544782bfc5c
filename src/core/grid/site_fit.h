#pragma once

#include "core/grid/measured.h"

namespace caelumen {

/// A background that was measured, and what the model makes of it when that run is left out of the fit.
struct SkyResidual {
    std::size_t run = 0; ///< in GridInput::runs
    std::string channel;
    double measured = 0, modelled = 0, sigma = 0; ///< e-/s/px; sigma of the measurement
    double fitSigma = 0;                          ///< of the modelled one, from what the other runs leave open
    std::array<double, kSkySources> parts{};      ///< of the modelled light, by source
    double ln() const;                            ///< logarithm of measured over modelled
};

/// Why one run of a site is brighter than the model of the others.
struct Brighter {
    std::size_t run = 0;
    double leak = 0;  ///< part of the unfiltered light that a leak would add
    double haze = 0;  ///< part by which hazy air would raise the sky
    double pLeak = 0; ///< of the two, how likely the leak
    std::string text; ///< one sentence
};

/// A place's sky, from the backgrounds of all its runs.
struct SiteFit {
    bool fitted = false;
    double sky_mag = 21, sky_mag_sigma = 0.3; ///< V at the zenith, without moon
    std::array<double, kLamps> shares{};      ///< of the lamps
    double lnScale = 0, lnScaleSigma = 0.2;   ///< electrons that arrive over those modelled with clear optics
    double moon = 1, moonSigma = 0.3;         ///< moonlight over its model
    std::vector<SkyResidual> residuals;       ///< leave-one-run-out
    std::vector<Brighter> brighter;
};

/// Zenith brightness and the mix of lamps, fitted to the backgrounds of all runs and channels of one site by non-negative least squares (coordinate descent on
/// the normal equations) about what is known beforehand: the stated brightness and lamps, a natural sky of 22 mag, moonlight of the model within 30 %. What a
/// level alone cannot tell, sky brightness from the telescope's transmission, is shared by how well each was known.
SiteFit fitSite(const GridInput& input, std::size_t site);

} // namespace caelumen
