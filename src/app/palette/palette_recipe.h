#pragma once

#include "core/model/trial.h"
#include "core/palette/recipe.h"

#include <QString>

namespace caelumen {

/// What a person wants of all pictures alike.
struct PaletteWish {
    QString start = "hydrogen-oxygen";                ///< id of a recipe to start from, or "own"
    std::array<std::map<std::string, double>, 3> map; ///< of one's own
    PaletteBackground background = PaletteBackground::Subtract;
    PaletteScale scale = PaletteScale::EqualSignal;
    PaletteStars stars = PaletteStars::Keep;
    double starsAmount = 1;
    bool starsOnGalaxy = false;
    bool detail = false; ///< the baseline as brightness
    double detailShare = 0.4;
    friend bool operator==(const PaletteWish&, const PaletteWish&) = default;
};

/// The recipe of one run, its light found by itself: lines split from a colour camera (with the crosstalk of filter and camera where they are known), sulphur
/// from the run whose filter claims it, stars and detail from the baseline. A sentence where the stacks have not what it takes.
Result<Recipe> recipeOf(const Trial& trial, const PaletteWish& wish, const std::string& run);

} // namespace caelumen
