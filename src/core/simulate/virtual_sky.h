#pragma once

#include "core/model/trial.h"
#include "core/sky/night_track.h"

namespace caelumen {

/// Stand-ins for what stands beside a telescope: a sky meter that looks at the zenith and a cloud sensor, driven by a night that is made up from a seed. They
/// let live use be tried without devices; their readings are never measurements.
class VirtualSky {
public:
    VirtualSky(Site site, NightTrack track, unsigned long long seed);

    /// Part of the sky behind cloud, 0 to 1: fronts that come and go over hours.
    double clouds(double second) const;
    /// Reading in mag/arcsec^2, to its two decimals and with the scatter of such meters; absent by day, when it is blinded. Clouds brighten it above towns and
    /// darken it in the dark.
    std::optional<double> meter(double second) const;

private:
    Site m_site;
    NightTrack m_track;
    unsigned long long m_seed;
    struct Front {
        double middle_s, width_s, depth;
    };
    std::vector<Front> m_fronts;
};

} // namespace caelumen
