#pragma once

#include "core/base/result.h"
#include "core/image/plane.h"

#include <filesystem>
#include <string>
#include <variant>
#include <vector>

namespace caelumen {

struct HeaderCard {
    std::string keyword;
    std::variant<double, long long, std::string> value;
    std::string comment;
};

enum class FitsPixels { Float32, UInt16 };

/// Writes one plane or three as a FITS image, through a temporary name. UInt16 rounds and clips to 0..65535.
/// NaN is kept as NaN in floats and becomes 0 in integers.
Status writeFits(const std::filesystem::path& path, const std::vector<const Plane*>& planes, const std::vector<HeaderCard>& cards,
                 FitsPixels pixels = FitsPixels::Float32);

} // namespace caelumen
