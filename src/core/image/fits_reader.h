#pragma once

#include "core/image/frame_file.h"

namespace caelumen {

struct FitsImage {
    FrameInfo info;
    int hdu = 1; ///< the extension that holds the image, from 1
};

/// Looks for the first extension with an image of one or three planes. Sizes are checked against the file before any
/// memory is asked for. Facts come from that extension, then from the primary header.
Result<FitsImage> readFitsInfo(const std::filesystem::path& path);

/// One stored plane (0..) of that image as floats.
Result<Plane> readFitsPlane(const FitsImage& image, int plane, Plane spare = {});

} // namespace caelumen
