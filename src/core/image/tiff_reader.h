#pragma once

#include "core/image/frame_file.h"

namespace caelumen {

/// The first picture of a TIFF file: 8/16/32-bit unsigned or signed integer, 32/64-bit float; one sample (grey) or three
/// and more (the first three are red, green, blue). Sizes are checked before any memory is asked for.
Result<FrameInfo> readTiffInfo(const std::filesystem::path& path);

/// One channel of it as floats in stored units.
Result<Plane> readTiffPlane(const FrameInfo& info, int channel);

} // namespace caelumen
