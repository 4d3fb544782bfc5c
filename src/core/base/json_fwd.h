#pragma once

#include <nlohmann/json_fwd.hpp>

namespace caelumen {

/// JSON that keeps the order in which it was written; its text and values need base/json.h.
using Json = nlohmann::ordered_json;

} // namespace caelumen
