#pragma once

#include <span>
#include <string_view>

namespace caelumen {

enum class Better { Higher, Lower, Neither };

/// One measured quantity: what every table, chart, file and tooltip knows about it.
struct Quantity {
    std::string_view id;    ///< stable, as in results files; never shown
    std::string_view label; ///< shown
    std::string_view unit;  ///< as in results files: "e-/s/px", "1", "mag", "mag/arcsec2", "px", "arcsec", "deg", "1/deg2", "mm"
    Better better;
    std::string_view group; ///< the score it belongs to: background, nebula, halo, colour, gradient, stars, artefacts
    std::string_view about; ///< one sentence
};

std::span<const Quantity> quantities();
const Quantity* quantity(std::string_view id); ///< null for an unknown id

} // namespace caelumen
