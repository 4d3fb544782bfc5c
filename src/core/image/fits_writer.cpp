#include "core/image/fits_writer.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/fits_bands.h"
#include "core/image/fits_handle.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdint>

namespace caelumen {

Status writeFits(const std::filesystem::path& path, const std::vector<const Plane*>& planes, const std::vector<HeaderCard>& cards, FitsPixels pixels) {
    if (planes.empty()) return Error{phrase("{}: there is no plane to write.", shown(path))};
    return writeThrough(path, [&](const std::filesystem::path& part) -> Status {
        int status = 0;
        fitsfile* raw = nullptr;
        const auto failed = [&] {
            return Error{phrase("{} could not be written ({}); check the folder and the space left.", shown(path), fitsReason(status))};
        };
        if (fits_create_diskfile(&raw, part.c_str(), &status) != 0) return failed();
        FitsHandle file(raw);
        std::array<long, 3> size{planes[0]->width(), planes[0]->height(), static_cast<long>(planes.size())};
        fits_create_img(raw, pixels == FitsPixels::Float32 ? FLOAT_IMG : USHORT_IMG, planes.size() == 1 ? 2 : 3, size.data(), &status);
        for (const HeaderCard& card : cards) putCard(raw, card, &status);
        LONGLONG first = 1;
        for (const Plane* plane : planes) {
            const auto count = static_cast<LONGLONG>(plane->size());
            if (pixels == FitsPixels::Float32) {
                fits_write_img(raw, TFLOAT, first, count, const_cast<float*>(plane->data()), &status);
            } else {
                std::vector<std::uint16_t> whole(plane->size());
                std::transform(plane->data(), plane->data() + plane->size(), whole.begin(),
                               [](float v) { return static_cast<std::uint16_t>(std::isfinite(v) ? std::clamp(std::lround(v), 0L, 65535L) : 0L); });
                fits_write_img(raw, TUSHORT, first, count, whole.data(), &status);
            }
            first += count;
        }
        int closing = 0;
        fits_close_file(file.release(), &closing);
        if (status == 0) status = closing;
        if (status != 0) return failed();
        return Done{};
    });
}

} // namespace caelumen
