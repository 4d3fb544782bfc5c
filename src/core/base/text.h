#pragma once

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <string>
#include <string_view>

namespace caelumen {

/// In small letters; ASCII only, which names of files and header words are told by.
inline std::string lowered(std::string s) {
    std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return s;
}

/// More than one of a thing with a regular plural: "dark" makes "darks", "bias" "biases".
inline std::string plural(const std::string& one) {
    return one + (one.ends_with('s') ? "es" : "s");
}

/// A name as an id: small letters, digits and what is no ASCII, with hyphens between; "filter" where nothing is left.
std::string slug(const std::string& name);

/// How many bytes the UTF-8 character at `at` has (The Unicode Standard 15, table 3-7); 0 where the bytes there are none.
std::size_t utf8Length(std::string_view bytes, std::size_t at);
bool isUtf8(std::string_view bytes);

/// Text from outside as valid UTF-8: every text passes here where it enters. UTF-8 stays as it is, without its mark; UTF-16 with a mark is converted; a
/// character that was cut off at the end is dropped; any other byte that fits nowhere is taken as Latin-1.
std::string utf8Text(std::string_view bytes);

/// The same as one line: line ends and other control characters become blanks. For words of a header.
std::string oneLine(std::string_view bytes);

/// The name of a file as valid UTF-8 from which pathOf() makes the same bytes again. Bytes that are no UTF-8 become the characters U+EF80 to U+EFFF, and so do
/// the bytes of those characters themselves. For files, keys and windows; sentences take shown().
std::string nameText(const std::filesystem::path& path);
std::filesystem::path pathOf(std::string_view text);

/// The name of a file for people: like utf8Text, on one line.
std::string shown(const std::filesystem::path& path);

} // namespace caelumen
