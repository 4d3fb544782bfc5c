#pragma once

#include "core/image/frame_file.h"

namespace caelumen {

/// Camera raw through LibRaw: the visible part of the sensor as a mosaic (or one plane for sensors without filters), in the camera's own numbers: nothing is
/// demosaiced, scaled or white-balanced. The black level is told as the pedestal.
Result<FrameInfo> readRawInfo(const std::filesystem::path& path);

/// Its stored pixels.
Result<Plane> readRawPlane(const FrameInfo& info);

/// Whether a name ends as raw files do.
bool looksRaw(const std::filesystem::path& path);

} // namespace caelumen
