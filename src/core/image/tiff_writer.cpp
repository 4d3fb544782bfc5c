#include "core/image/tiff_writer.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <tiffio.h>

#include <memory>

namespace caelumen {
namespace {

template<class Sample>
Status write(const std::filesystem::path& path, int width, int height, std::span<const Sample> pixels, const std::string& description,
             std::span<const char> profile, int dpi) {
    return writeThrough(path, [&](const std::filesystem::path& place) -> Status {
        const auto failed = [&] { return Error{phrase("{} could not be written; check the space left there.", shown(path))}; };
        TIFFSetErrorHandler(nullptr), TIFFSetWarningHandler(nullptr);
        const std::unique_ptr<TIFF, void (*)(TIFF*)> file(TIFFOpen(place.c_str(), "w"), TIFFClose);
        if (!file) return failed();
        TIFF* t = file.get();
        TIFFSetField(t, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(width));
        TIFFSetField(t, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(height));
        TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 3);
        TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 8 * static_cast<int>(sizeof(Sample)));
        TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, sizeof(Sample) == 4 ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
        TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
        TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        TIFFSetField(t, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, TIFFDefaultStripSize(t, 0));
        TIFFSetField(t, TIFFTAG_IMAGEDESCRIPTION, description.c_str());
        if (!profile.empty()) TIFFSetField(t, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(profile.size()), profile.data());
        if (dpi > 0) {
            TIFFSetField(t, TIFFTAG_RESOLUTIONUNIT, RESUNIT_INCH);
            TIFFSetField(t, TIFFTAG_XRESOLUTION, static_cast<double>(dpi));
            TIFFSetField(t, TIFFTAG_YRESOLUTION, static_cast<double>(dpi));
        }
        for (int y = 0; y < height; ++y) {
            const Sample* row = pixels.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(width) * 3;
            if (TIFFWriteScanline(t, const_cast<Sample*>(row), static_cast<std::uint32_t>(y)) < 0) return failed();
        }
        return TIFFFlush(t) ? Status(Done{}) : Status(failed());
    });
}

} // namespace

Status writeTiff(const std::filesystem::path& path, int width, int height, std::span<const std::uint16_t> pixels, const std::string& description,
                 std::span<const char> profile, int dpi) {
    return write(path, width, height, pixels, description, profile, dpi);
}

Status writeTiff(const std::filesystem::path& path, int width, int height, std::span<const float> pixels, const std::string& description,
                 std::span<const char> profile, int dpi) {
    return write(path, width, height, pixels, description, profile, dpi);
}

} // namespace caelumen
