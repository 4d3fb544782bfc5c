#pragma once

#include "core/model/trial.h"
#include "core/palette/recipe.h"

#include <QString>

namespace caelumen {

/// What a person wants of all pictures alike.
struct PaletteWish {
    QString start = "hydrogen-oxygen";                ///< id of a recipe to start from, or "own"
    QString name;                                     ///< of one's own recipe
    std::array<std::map<std::string, double>, 3> map; ///< of one's own
    PaletteBackground background = PaletteBackground::Subtract;
    PaletteScale scale = PaletteScale::EqualSignal;
    PaletteStars stars = PaletteStars::Keep;
    double starsAmount = 1;
    bool starsOnGalaxy = false;
    QString starsRun;  ///< that stars are taken from; empty: the baseline
    QString oxygenRun; ///< whose oxygen is added to each filter's own; empty: none
    QString detailRun; ///< brightness; empty: none
    double detailShare = 0.4;
    friend bool operator==(const PaletteWish&, const PaletteWish&) = default;
};

/// The recipe of one run, its light found by itself: lines split from a colour camera (with the crosstalk of filter and camera where they are known), sulphur
/// from the run whose filter claims it, stars and detail from the runs that the wish names. One's own matrix gets every light that there is, so that its parts
/// can follow a slider. A sentence where the stacks have not what it takes.
Result<Recipe> recipeOf(const Trial& trial, const PaletteWish& wish, const std::string& run);

/// Whether a picture made by `a` follows `b` without reading its stacks again: only parts and shares differ.
bool mixesAlike(const PaletteWish& a, const PaletteWish& b);
/// Brings a recipe's parts and shares up to a wish that mixes alike.
void takeParts(Recipe& recipe, const PaletteWish& wish);

/// A recipe without stacks, to be kept by name and shared; and what a person wants by one.
Recipe ideaOf(const PaletteWish& wish, double light, double depth);
PaletteWish wishOf(const Recipe& idea);

} // namespace caelumen
