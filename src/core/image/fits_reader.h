#pragma once

#include "core/image/frame_file.h"

#include <functional>

namespace caelumen {

struct FitsImage {
    FrameInfo info;
    FitsPlace place;
};

/// Looks for the first extension with an image of one or three planes. Sizes are checked against the file before any
/// memory is asked for. Facts come from that extension, then from the primary header.
Result<FitsImage> readFitsInfo(const std::filesystem::path& path);

/// The same without trying the headers in another process first: for that process.
Result<FitsImage> readFitsInfoHere(const std::filesystem::path& path);

/// One stored plane (0..) of that image as floats. `eachRow` sees the rows as they come, from several threads.
Result<Plane> readFitsPlane(const FrameInfo& info, const FitsPlace& place, int plane, Plane spare, const std::function<void(float* row, int y)>& eachRow);

} // namespace caelumen
