#pragma once

namespace caelumen {

/// Arcseconds that a pixel spans behind a focal length: 206.265 of them are a thousandth of a radian.
constexpr double arcsecPerPixel(double pixel_um, double focalLength_mm) {
    return 206.265 * pixel_um / focalLength_mm;
}

} // namespace caelumen
