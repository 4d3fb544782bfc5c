#pragma once

#include "core/base/open_file.h"
#include "core/base/result.h"

#include <filesystem>
#include <memory>

namespace caelumen {

/// Looks through the headers of a FITS file (standard 4.0, sections 3 and 4) with our own eyes, up to its first image of one or three planes, before the
/// library opens it: impossible numbers of axes, headers without an end or far too long, and sizes beyond all frames are refused, for they make the library end
/// the process or take all memory. Costs one block a header.
Status checkFitsStructure(const std::filesystem::path& path);

/// The same for a gzipped file, which is unpacked on the way, as far as the end of that image, into a file without a name. More than 2 GB, or more than 256 MB
/// at more than 200 to 1, which no real frame reaches, is refused before it is unpacked.
Result<std::shared_ptr<const OpenFile>> unpackGzippedFits(const std::filesystem::path& path);

} // namespace caelumen
