#pragma once

#include "core/stars/background_mesh.h"
#include "core/stars/saturation.h"

#include <vector>

namespace caelumen {

struct ApertureFlux {
    double flux = 0;      ///< above the local sky, plane units
    double sigma = 0;     ///< from sky noise, sky level and the star's own photons
    double ringLight = 0; ///< of a star of flux 1, per pixel, the mean over the ring's pixels that its sky was taken from; they depend on what is masked
    bool usable = false;  ///< false: off the frame, next to missing pixels, or saturated
};

/// The ring that the sky of an aperture is taken from.
struct SkyRing {
    double inner = 0, outer = 0; ///< radii, plane pixels
    explicit SkyRing(double radius)
        : inner(radius + 2)
        , outer(inner + std::max(4.0, radius)) {}
};

struct ApertureOptions {
    double radius = 4;                              ///< plane pixels
    double saturation = kNeverSaturated;            ///< plane units
    double pixelNoise = 0;                          ///< of the sky, plane units
    double noiseCorrelation = 1;                    ///< error of a mean over that of white noise
    const std::vector<double>* starLight = nullptr; ///< light per pixel of a star of flux 1 at radii of whole quarters of a pixel, for ringLight
    double photonScale = 0;                         ///< variance of a flux F from its own photons is F * photonScale (1 / total seconds for e-/s); 0: none
};

/// Exact-overlap circular aperture (SEP) with the sky from unmasked pixels of a ring around it, clipped; `sky` where the ring is too full.
ApertureFlux apertureFlux(const Plane& plane, const Mask& mask, const SmoothSky& sky, Point at, const ApertureOptions& options);

} // namespace caelumen
