#pragma once

#include "core/measure/star_mask.h"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

inline constexpr std::size_t kHaloSectors = 16;

/// Light around one star of one plane, against radius.
struct HaloProfile {
    Point centre;                                         ///< of the star, plane pixels
    double flux = 0, fluxSigma = 0;                       ///< from the star's unsaturated pixels, plane units
    bool fromShort = false;                               ///< flux taken from a short stack
    double fwhm = 0;                                      ///< of this plane, plane pixels
    double blind = 0;                                     ///< radius inside which the star itself hides any halo, plane pixels
    std::vector<double> value;                            ///< at radius i + 0.5 bins: clipped mean over the sectors, far sky taken off, plane units
    std::vector<double> sigma;                            ///< its error, from the scatter of the sectors; 0: no pixels
    std::vector<std::array<float, kHaloSectors>> sectors; ///< the same by sector, NaN where hidden
    std::vector<double> core; ///< what the star image's Moffat alone holds there, per pixel of a star of flux 1; empty where too few stars tell its shape
    double pitch = 1;         ///< stored pixels per plane pixel
};

/// Measures the profile of the star near `guess` (plane pixels) out to `reach`. `neighbours` are hidden with discs that follow their flux.
/// A reason comes back as an Error when the star cannot be fitted.
Result<HaloProfile> measureHaloProfile(const Plane& plane, Point guess, double reach, const std::optional<Psf>& psf, const std::vector<Star>& stars,
                                       double noise, double saturation, double pitch);

/// One ring or disc that the filter adds, in stored pixels of the run.
struct HaloRing {
    double radius = 0, radiusSigma = 0;
    double inner = 0;                       ///< where it begins; 0 for a disc
    double hole = 0, holeSigma = 0;         ///< of this ring alone, over its radius
    double holeMost = 0;                    ///< the largest that would not have been noticed (three sigmas)
    bool holeSeen = false;                  ///< else `hole` is what was expected
    double plateau = 0, plateauSigma = 0;   ///< excess per stored pixel and unit star flux
    double fraction = 0, fractionSigma = 0; ///< excess between its edges per unit star flux
    double offset = 0, offsetSigma = 0, offsetAngle_deg = 0;
};

struct HaloExcess {
    std::vector<double> radius;                                      ///< stored pixels of the run
    std::vector<double> value, sigma;                                ///< excess per stored pixel and unit star flux
    std::vector<double> focus;                                       ///< what of it star images of other width explain: another focus is no halo
    double halo(std::size_t i) const { return value[i] - focus[i]; } ///< what discs are looked for in
    std::vector<HaloRing> rings;                                     ///< from inside out; empty: none seen
    double limitRadius = 0;                                          ///< the disc that the limit is for, stored pixels
    double limit = 0;                                                ///< its excess with 3 sigma, per stored pixel and unit flux; 0 where none can be stated
    double unexplained = 0,
           unexplainedSigma = 0; ///< light per unit star flux that stands out and is neither disc nor ring nor smooth: 0 where what is left looks like noise
    /// How bright a plot of it has to reach, per stored pixel and unit flux: the plateaus, the limit, or what is unexplained as an even disc.
    double top() const;
    double wing = 0, wingSigma = 0; ///< smooth excess between 4 and 8 FWHM per stored pixel and unit flux: haze, not a ring
};

/// What the filter adds to the star's light over the baseline. `scale` is run stored pixels per baseline stored pixel; `obstruction` the hole
/// that is expected of a ghost (0: a full disc) where nothing is seen of it; `expectedRadius` (stored pixels of the run) the disc for which a limit is given.
HaloExcess haloExcess(const HaloProfile& filter, const HaloProfile& baseline, double scale, double obstruction, double expectedRadius);

} // namespace caelumen
