#pragma once

#include <algorithm>
#include <cctype>
#include <string>

namespace caelumen {

/// In small letters; ASCII only, which names of files and header words are told by.
inline std::string lowered(std::string s) {
    std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return s;
}

} // namespace caelumen
