#pragma once

#include "core/palette/recipe.h"

#include <QString>

#include <vector>

namespace caelumen {

/// A person's own recipes, kept by name for all campaigns, each a JSON file that can be given away. Files that cannot be read are passed over.
std::vector<Recipe> ownRecipes();
/// Replaces one of the same name. A sentence where it cannot be kept.
Status keepRecipe(const Recipe& idea);
Status forgetRecipe(const std::string& name);

} // namespace caelumen
