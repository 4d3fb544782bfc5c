#pragma once

#include "core/optics/claim.h"
#include "core/optics/spectra.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A made-up filter of one kind, to plan and learn with: no maker's, but of the usual shape.
struct StarterFilter {
    std::string id, name, kind;
    std::string source; ///< where its shape comes from
    std::vector<BandClaim> claims;
    std::optional<double> effectiveIndex, madeForFRatio, thickness_mm;
    Curve curve;
};
const std::vector<StarterFilter>& starterFilters();

/// A light to draw or count with.
struct StarterLight {
    std::string name;
    std::string source; ///< of the model
    Spectrum spectrum;
    bool ofTheSky = false; ///< one kind of sky light alone: counted channel by channel
};
/// Street lamps (mixed and each kind), moonlight, natural sky, stars of three temperatures.
const std::vector<StarterLight>& starterLights();

} // namespace caelumen
