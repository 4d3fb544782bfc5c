#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/model/facts.h"

#include <filesystem>
#include <string>
#include <vector>

namespace caelumen {

/// What becomes of the subs of a colour mosaic; the stack has three planes either way.
enum class MosaicMode {
    Half, ///< each 2x2 cell gives R, the mean of both G, and B: nothing is made up
    Full, ///< full size: each colour is drizzled from its own sites where subs are dithered, else interpolated at the place of every pixel
};

enum class Combination { Mean, Median };
enum class Rejection { None, Sigma, Winsor };
/// What is made alike before subs are combined.
enum class Normalising {
    None,
    Level, ///< the sky: its level and slope are brought to the mean of all subs, so that a drifting sky rejects nothing and the stack keeps the mean sky
    LevelAndScale, ///< besides, the stars: each sub is scaled to the reference's transparency
};

struct CombineOptions {
    Combination method = Combination::Mean;
    Rejection reject = Rejection::Sigma;
    double low = 3.0, high = 2.5; ///< sigmas
    Normalising normalise = Normalising::Level;
    bool weightByNoise = false; ///< by 1 / variance of the sky; else all subs count alike
    friend bool operator==(const CombineOptions&, const CombineOptions&) = default;
};

/// Limits of the verdicts; ratios are to the run itself.
struct CullLimits {
    double transparency = 0.80; ///< of the run's best decile, allowing for altitude where that is known
    double fwhm = 1.30;         ///< over the median
    double eccentricity = 0.15; ///< above the median
    double sky = 1.40;          ///< over the subs before and after: a slow rise under the moon passes
    double stars = 0.5;         ///< of the median count
    double vignette = 0.10;     ///< away from the median
    double tilt = 0.25;         ///< FWHM of the worst corner over the middle's, above the median

    /// These above are for a picture, where every photon helps. Filters are compared fairly under one sky: thin cloud, a focus that drifts and a sky that
    /// flares up count against them.
    static CullLimits forFairTest() { return {0.90, 1.20, 0.12, 1.25, 0.7, 0.08, 0.20}; }
    friend bool operator==(const CullLimits&, const CullLimits&) = default;
};

struct CullOptions {
    bool automatic = true;
    std::vector<std::string> keep, reject; ///< file names or patterns that a person has decided
    CullLimits limits;
    friend bool operator==(const CullOptions&, const CullOptions&) = default;
};

/// How diffuser or sky flats are used.
enum class FlatSchool {
    Divide,
    Subtract, ///< frames through a diffuser, as long as the subs: takes glow and rings away too, but does not correct transmission
};

/// Brings the transparency of one run, told against its own clearest subs, onto the scale that all runs of a night share (core/prepare/night_scale.h).
struct NightScale {
    double factor = 1, sigma = 0; ///< transparency in the night = factor * transparency in the run
    friend bool operator==(const NightScale&, const NightScale&) = default;
};

/// One run's subs and what is to be done with them: the input of `caelumen-cli stack`.
struct SubsRecipe {
    Rig rig;
    Run run;
    Site site;
    Target target;
    MosaicMode mosaic = MosaicMode::Half;
    std::vector<std::filesystem::path> lights, darks, flats, biases, flatDarks;
    FlatSchool flatSchool = FlatSchool::Divide;
    CombineOptions combine;
    CullOptions cull;
    std::string reference;                ///< file name of the sub that all are laid on; empty: the best
    bool halves = true;                   ///< odd and even subs as stacks of their own beside the stack: they tell its noise
    std::optional<NightScale> nightScale; ///< known where all runs of the night were judged together
    bool maps = false;                    ///< coverage and rejection maps beside the stack
};

/// Reads such a file (docs/formats.md). Names and patterns in it are relative to its folder; a pattern that matches nothing is an error for lights.
Result<SubsRecipe> readSubsRecipe(const std::filesystem::path& path);
Result<SubsRecipe> subsRecipeFromJson(const Json& json, const std::string& name, const std::filesystem::path& folder);
Json subsRecipeToJson(const SubsRecipe& recipe);

/// Every file that it reads.
std::vector<std::filesystem::path> filesOf(const SubsRecipe& recipe);

/// Its telescope and camera: what the run overrides, the rig, and what the header of a frame adds.
Facts factsOf(const SubsRecipe& recipe, const FrameFacts& header);

/// Whether a file is meant by a name or pattern: its whole path, its path's end, or its bare name.
bool isMeant(const std::filesystem::path& file, const std::string& pattern);

} // namespace caelumen
