#pragma once

#include "core/image/facts.h"

#include <functional>
#include <optional>
#include <string>

namespace caelumen {

/// A header as a look-up: the value of a keyword as text without quotes, or nothing.
using HeaderLookup = std::function<std::optional<std::string>(const char* keyword)>;

/// Reads the facts out of a header by the rules of docs/formats.md: EGAIN wins over GAIN; GAIN counts as e-/ADU only between
/// 0.01 and 20 and with a note; PEDESTAL is what was added.
FrameFacts factsFromHeader(const HeaderLookup& header);

/// A number out of header text, the whole of it; nothing for anything else, infinities and NaN included.
std::optional<double> headerNumber(const std::optional<std::string>& text);

} // namespace caelumen
