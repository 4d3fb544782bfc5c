#pragma once

#include "core/image/facts.h"

namespace caelumen {

inline constexpr const char* kFromName = "name of the file"; ///< in FrameFacts::sources, for what is a guess

/// Fills in what a header does not say from the words of a file's name, as capture programs write them: "NGC6188_Ha_180s_gain100_-10C_0001" tells filter,
/// exposure (s), gain setting, offset and sensor temperature. Nothing that the header says is touched.
void completeFromName(FrameFacts& facts, const std::string& fileName);

} // namespace caelumen
