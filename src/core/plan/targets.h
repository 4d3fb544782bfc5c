#pragma once

#include "core/base/result.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A nebula, galaxy or cluster. Strengths of light are 0 none, 1 faint, 2 fair, 3 strong, as photographs show it; positions ICRS.
struct DeepSky {
    std::string id;                             ///< catalogue number, "NGC 6188"
    std::string name;                           ///< as people call it; may be empty
    std::string constellation;                  ///< three letters (IAU)
    double ra_deg = 0, dec_deg = 0;             ///< J2000
    double width_arcmin = 0, height_arcmin = 0; ///< longest and shortest extent
    std::string kind;                           ///< emission, reflection, planetary, remnant, galaxy, open cluster, globular cluster, dark, star-forming
    int hydrogen = 0, oxygen = 0, sulphur = 0, continuum = 0;
    bool own = false;
};

/// A star bright enough to show halos.
struct BrightStar {
    std::string name;
    double ra_deg = 0, dec_deg = 0, magnitude = 0, colour = 0; ///< V and B-V
};

/// More than 300 of each over the whole sky, from common catalogues; positions to an arcminute or so for nebulae, to a few arcseconds for stars.
const std::vector<DeepSky>& deepSkyCatalogue();
const std::vector<BrightStar>& brightStars();

/// Targets whose number, name or constellation begins with or holds the words, best first. Blanks and letter case do not matter: "ngc6188" finds NGC 6188.
std::vector<const DeepSky*> findTargets(const std::vector<DeepSky>& among, const std::string& words);

/// One's own targets from a table: number or name, right ascension, declination (degrees, or "16 40 30" and "-48 45 00"), and where known size in arcminutes,
/// kind, hydrogen, oxygen, sulphur, continuum. A first line with these names may put them in another order.
Result<std::vector<DeepSky>> parseTargets(const std::string& text, const std::string& name);

} // namespace caelumen
