#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"

#include <nlohmann/json.hpp>

#include <filesystem>
#include <string>

namespace caelumen {

/// JSON out of text; `name` is named in errors. Refused: what is nested deeper than any file of ours, and text that holds a zero character, at which a file
/// name would end.
Result<Json> parseJson(const std::string& text, const std::string& name);
/// The same of a file of at most `limit` bytes.
Result<Json> readJson(const std::filesystem::path& path, std::size_t limit = 64u << 20);

/// JSON as text, on one line or indented. It never fails: bytes that are no UTF-8 after all become U+FFFD.
std::string jsonText(const Json& json, int indent = -1);

} // namespace caelumen
