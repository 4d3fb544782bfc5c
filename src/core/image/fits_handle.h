#pragma once

#include <fitsio.h>

#include <memory>
#include <string>

namespace caelumen {

struct FitsClose {
    void operator()(fitsfile* f) const {
        int status = 0;
        fits_close_file(f, &status);
    }
};
using FitsHandle = std::unique_ptr<fitsfile, FitsClose>;

/// CFITSIO's words for a status, with its message stack emptied.
inline std::string fitsReason(int status) {
    char text[FLEN_STATUS] = {};
    fits_get_errstatus(status, text);
    fits_clear_errmsg();
    return text;
}

} // namespace caelumen
