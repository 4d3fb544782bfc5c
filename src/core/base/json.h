#pragma once

#include <nlohmann/json.hpp>

namespace caelumen {

/// JSON that keeps the order in which it was written.
using Json = nlohmann::ordered_json;

} // namespace caelumen
