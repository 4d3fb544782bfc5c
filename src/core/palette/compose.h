#pragma once

#include "core/palette/prepare_mixture.h"

namespace caelumen {

/// A whole picture at once: prepareMixture, then mix. With background kept, no scale and stars kept it is the matrix times the aligned inputs.
Result<ColourPicture> compose(const Recipe& recipe, const std::filesystem::path& folder, const Job& job = {});

} // namespace caelumen
