#pragma once

#include "core/model/trial.h"
#include "core/optics/system_response.h"
#include "core/sky/ephemeris.h"

namespace caelumen {

/// What shines in one direction of a site's sky, V nanolamberts.
struct SkyLight {
    double natural = 0, lamps = 0, moon = 0; ///< V surface brightness, nanolamberts
    double total() const { return natural + lamps + moon; }
};

/// Natural and lamps' light: the zenith brightness of the site's meter or class, of which what is above a dark sky (22 mag per square arcsecond) is the lamps',
/// raised towards the horizon as airglow is (Krisciunas & Schaefer 1991, PASP 103, 1033, eq. 2) and towards each light dome; moonlight after the same paper.
/// Nothing where the site's brightness is not known, or while the target is below the horizon. Twilight is not counted.
std::optional<SkyLight> skyLight(const Site& site, const SkyMoment& moment);

/// Electrons per second and pixel of that light in one channel; `lamps` gives the share of each kind.
double backgroundRate(const SkyLight& light, const SystemChannel& channel, const LampMix& lamps, double aperture_mm, double obstruction, double scale_arcsec);

} // namespace caelumen
