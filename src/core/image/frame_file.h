#pragma once

#include "core/base/open_file.h"
#include "core/base/result.h"
#include "core/image/facts.h"
#include "core/image/mosaic.h"
#include "core/image/plane_scan.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// What a frame file holds, known without reading its pixels.
struct FrameInfo {
    std::filesystem::path path;
    int width = 0, height = 0;         ///< as stored
    std::vector<std::string> channels; ///< {"L"} or {"R","G","B"}; a mosaic has three
    std::optional<MosaicPattern> mosaic;
    int bits = 0; ///< per sample
    bool integer = false;
    FrameFacts facts;

    /// Where the pixels of channel `c` lie in the stored frame.
    PlaneGeometry geometry(std::size_t c) const { return mosaic ? mosaicGeometry(*mosaic, static_cast<int>(c)) : PlaneGeometry{}; }
};

/// Where in a FITS file an image lies, and how.
struct FitsPlace {
    int hdu = 1;                                   ///< the extension, from 1
    bool compressed = false;                       ///< in tiles
    std::shared_ptr<const OpenFile> unpacked = {}; ///< where the whole file was gzipped: what is in it
};

/// What is seen of a channel while it is read.
struct SeenOnTheWay {
    float top = 0;        ///< the largest stored value of the plane it lies in, -infinity where there is none
    RowExtremes extremes; ///< which the channel's values lie within, where it is a whole plane; some may have become NaN since
};

/// A frame on disk, read one channel at a time so that only one is ever in memory.
/// Reads FITS (integer with BZERO/BSCALE, float, double; one or three planes; mosaics by BAYERPAT; tile-compressed, which is
/// unpacked in a process of its own; the image
/// in whichever extension comes first), TIFF (8/16/32-bit integer and float, one or three samples) and camera raw (core/image/raw_reader.h).
/// Coordinates are those of plane.h; for TIFF the first row is the top one.
class FrameFile {
public:
    /// `bayer`: the colour mosaic where the header is silent or wrong ("RGGB", for the picture as it is stored; "none": no mosaic); empty: as the header says.
    /// A frame of three planes refuses one.
    static Result<FrameFile> open(const std::filesystem::path& path, const std::string& bayer = {});

    const FrameInfo& info() const { return m_info; }

    /// Channel `c` in stored units (ADU, BSCALE and BZERO applied). Blank, infinite and NaN pixels, and the zero rims and
    /// holes that stacking leaves, come back as NaN.
    /// `spare` may be a plane that is no longer needed: its memory is used again. `by` is applied to the stored units on the way.
    Result<Plane> readChannel(std::size_t c, Plane spare = {}, Rescale by = {}, SeenOnTheWay* seen = nullptr) const;

    /// A stored plane (the whole mosaic is one) as it is: zero rims stay zeros.
    Result<Plane> readStored(int plane) const;
    /// The extension of an uncompressed FITS image, whose rows can be read where they lie.
    std::optional<int> plainFitsExtension() const;

private:
    static Result<FrameFile> openAsStored(const std::filesystem::path& path);
    enum class Kind { Fits, Tiff, Raw };
    FrameInfo m_info;
    Kind m_kind = Kind::Fits;
    FitsPlace m_place; ///< FITS only
};

} // namespace caelumen
