#pragma once

#include "core/palette/look.h"
#include "core/palette/recipe.h"

#include <QImage>

namespace caelumen {

/// What goes into the metadata of a picture: recipe, what was done, conditions, program.
std::string pictureText(const Recipe& recipe, const ColourPicture& picture, double factor);

/// Writes a picture as its name ends: .tif (.tiff) or .png, with an sRGB profile. Linear ones: TIFF as 32-bit floats in e-/s/px (factor=1), PNG as 16 bits
/// times a stated factor, nothing written into the picture. Stretched ones: 16 bits, with a line in the corner that says what was done. `dpi`: the size in
/// print that the file names; 0: none.
Status writeColourPicture(const std::filesystem::path& path, const Recipe& recipe, const ColourPicture& picture, std::optional<Look> look = {}, int dpi = 0);

/// As it is shown on a screen: 8 bits.
QImage shownImage(const ColourPicture& picture, const Look& look);

} // namespace caelumen
