#pragma once

namespace caelumen {

/// Of crown glass at 550 nm, what filters are usually made of.
inline constexpr double kGlassIndex = 1.52;

/// The air gap that bends light as this much glass does.
constexpr double glassAsAir_mm(double thickness_mm) {
    return thickness_mm / kGlassIndex;
}

/// How far a plane plate moves the focus back, mm: t (1 - 1/n), about a third of its thickness.
constexpr double focusShift_mm(double thickness_mm, double index = kGlassIndex) {
    return thickness_mm * (1 - 1 / index);
}

/// The air gap that makes a ghost disc of this radius by a double reflection: the ghost is 2 d out of focus, so its diameter is 2 d / N.
constexpr double ghostGap_mm(double radius_px, double pixel_um, double fRatio) {
    return 2 * radius_px * pixel_um / 1000 * fRatio / 2;
}

/// The other way round: radius in pixels of the disc that a gap makes. Glass counts as thickness / index.
constexpr double ghostRadius_px(double gap_mm, double pixel_um, double fRatio) {
    return gap_mm / fRatio / (pixel_um / 1000);
}

} // namespace caelumen
