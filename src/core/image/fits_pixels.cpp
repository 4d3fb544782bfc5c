#include "core/image/fits_pixels.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/plane.h"

#include <fmt/format.h>

namespace caelumen {
namespace fs = std::filesystem;

Result<FitsHandle> openFits(const fs::path& path, const fs::path& named) {
    fitsfile* raw = nullptr;
    int status = 0;
    // The plain-file call: names with brackets are names, never instructions.
    if (fits_open_diskfile(&raw, path.c_str(), READONLY, &status) != 0)
        return Error{phrase("{} cannot be read as FITS ({}); check that it is a whole, undamaged FITS file.", shown(named), fitsReason(status))};
    return FitsHandle(raw);
}

Result<FitsPixelReader> FitsPixelReader::open(const fs::path& path, int hdu) {
    auto file = openFits(path, path);
    if (!file) return file.error();
    int status = 0, type = 0, stored = 0;
    fits_movabs_hdu(file->get(), hdu, &type, &status);
    fits_get_img_type(file->get(), &stored, &status);
    FitsPixelReader out;
    out.m_path = path;
    int unused = 0;
    out.m_plain = stored == FLOAT_IMG && !fits_is_compressed_image(file->get(), &unused);
    out.m_file = std::move(*file);
    if (status != 0) return Error{phrase("{} cannot be read as FITS ({}); copy it again.", shown(path), fitsReason(status))};
    return out;
}

Status FitsPixelReader::read(long long first, long long count, float* to) {
    int status = 0, anyBlank = 0;
    float blank = kNoData;
    fits_read_img(m_file.get(), TFLOAT, first + 1, count, m_plain ? nullptr : &blank, to, &anyBlank, &status);
    if (status == 0 || status == NUM_OVERFLOW) return Done{}; // a double too large for float came back as the largest one
    return Error{phrase("The pixels of {} cannot be read ({}); the file is damaged or cut short, copy it again.", shown(m_path), fitsReason(status))};
}

} // namespace caelumen
