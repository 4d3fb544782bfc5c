#pragma once

#include "core/image/frame_file.h"
#include "core/image/no_data.h"

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

/// One stored plane (0..) of that image as floats, scaled, infinities as NaN.
Result<Plane> readFitsPlane(const FrameInfo& info, const FitsPlace& place, int plane, Plane spare, Rescale by, RowsSeen& seen);

} // namespace caelumen
