#pragma once

#include "core/model/results.h"

#include <string>
#include <string_view>

namespace caelumen {

/// Results with what plots and proposals need of their evidence, as bytes for this program to read again: a cache, no format for others (docs/formats.md has
/// those). Of each plane's stars only the brightest are kept.
std::string packResults(const TrialResults& results);

/// Back from packResults; an Error where the bytes are none of this version's or damaged.
Result<TrialResults> unpackResults(std::string_view bytes);

} // namespace caelumen
