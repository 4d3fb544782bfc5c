#pragma once

#include <cstddef>
#include <cstdint>

namespace caelumen {

/// Eyes that a picture is checked for: about one man in twelve lacks or has shifted red or green cones.
enum class ColourVision { Usual, NoRedCones, NoGreenCones, NoBlueCones };

/// 0xffRRGGBB pixels (sRGB) as such eyes see them (Machado, Oliveira & Fernandes 2009, IEEE Trans. Vis. Comput. Graph. 15, 1291, full severity, in linear
/// light).
void asSeenBy(ColourVision eyes, std::uint32_t* pixels, std::size_t count);

} // namespace caelumen
