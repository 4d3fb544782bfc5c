#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// Light that a picture is made of: a channel of a stack, or a line split from it.
struct PaletteInput {
    std::string stack;                                                  ///< file, relative to the recipe's folder
    std::string channel;                                                ///< "L", "R", "G" or "B"; empty: that of the line, or the only one
    std::string line;                                                   ///< "Ha", "OIII", "SII" or empty
    std::string curve;                                                  ///< of the filter, for the crosstalk of its lines; may be empty
    std::string camera;                                                 ///< typical camera that the lines are split for; empty: unknown
    std::optional<double> sub_exposure_s, gain_e_per_adu, pedestal_adu; ///< where headers are silent
    std::optional<int> sub_count;
    bool sum = false;               ///< the stack is a sum of its subs
    std::vector<PaletteInput> also; ///< the same light of other stacks, added by its weight in their noise
    friend bool operator==(const PaletteInput&, const PaletteInput&) = default;
};

enum class PaletteBackground { Keep, Subtract };
enum class PaletteScale { None, EqualNoise, EqualSignal, StarColours };
enum class PaletteStars { Keep, Replace, Desaturate, None };

/// How a colour picture is made. A value; as JSON in docs/formats.md.
struct Recipe {
    std::string name;
    std::map<std::string, PaletteInput> inputs;
    std::array<std::map<std::string, double>, 3> map; ///< for R, G and B: parts of inputs
    PaletteBackground background = PaletteBackground::Subtract;
    PaletteScale scale = PaletteScale::None;
    PaletteStars stars = PaletteStars::Keep;
    PaletteInput starsFrom;     ///< a stack of three channels
    double starsAmount = 1;     ///< of desaturating
    bool starsOnGalaxy = false; ///< a person says that the knots are stars
    std::optional<PaletteInput> detail;
    double detailShare = 0.5;
    std::optional<double> hours;     ///< as from so many hours of the first input, all others by the same part of their own time; empty: as it is
    bool stretched = true;           ///< else linear, and nothing is written into the picture
    double light = 0.5, depth = 0.5; ///< 0 to 1 each
    std::string first;               ///< of the inputs, as the file names them: its grid is the picture's
    friend bool operator==(const Recipe&, const Recipe&) = default;
};

/// An Error names the file and what is wrong with it: no inputs, a map that names none of them, numbers out of range.
Result<Recipe> recipeFromText(const std::string& text, const std::string& name);
Result<Recipe> readRecipe(const std::filesystem::path& path);
Json recipeToJson(const Recipe& recipe);
/// The same without its stacks, for others to use with their own: `inputs` may be missing, and what it had of lines and channels names its lights
/// (recipeStarts).
Result<Recipe> recipeIdeaFromText(const std::string& text, const std::string& name);
Json recipeIdeaToJson(const Recipe& recipe);

/// Every file that it names, from `folder`.
std::vector<std::filesystem::path> filesOf(const Recipe& recipe, const std::filesystem::path& folder);

/// Ready ones by the name of their light: each takes inputs "H", "O", "S" or "L" ("R", "G", "B" for natural colour of a broadband stack).
struct RecipeStart {
    std::string id, name;
    std::array<std::map<std::string, double>, 3> map;
};
const std::vector<RecipeStart>& recipeStarts();

} // namespace caelumen
