#include "core/simulate/virtual_sky.h"

#include "core/base/statistics.h"
#include "core/sky/moonlight.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

VirtualSky::VirtualSky(Site site, NightTrack track, unsigned long long seed)
    : m_site(std::move(site))
    , m_track(std::move(track))
    , m_seed(seed) {
    Random random(seed);
    const auto fronts = static_cast<int>(random.index(4)); // a night in four is clear
    for (int i = 0; i < fronts; ++i)
        m_fronts.push_back({NightTrack::kLength * (0.2 + 0.6 * static_cast<double>(random.index(1000)) / 1000),
                            1800 + 1.5 * static_cast<double>(random.index(3600)), 0.3 + 0.7 * static_cast<double>(random.index(1000)) / 1000});
}

double VirtualSky::clouds(double second) const {
    double clear = 1;
    for (const Front& f : m_fronts) clear *= 1 - f.depth * std::exp(-std::pow((second - f.middle_s) / f.width_s, 2));
    return 1 - clear;
}

std::optional<double> VirtualSky::meter(double second) const {
    const auto zenith = skyBrightness(m_site);
    const SkyMoment m = m_track.at(second);
    if (!zenith || m.sun.alt_deg > -6) return std::nullopt;
    const double dark = std::min(nanoLamberts(*zenith), nanoLamberts(22)), lamps = nanoLamberts(*zenith) - dark;
    const double moon = moonlightNanoLamberts(m.moonPhaseAngle_deg, m.moon.alt_deg, 90, 90 - m.moon.alt_deg);
    // Twilight at the zenith: a factor of ten for every 2.4 degrees, gone at 18.
    const double twilight = m.sun.alt_deg > -18 ? dark * (std::pow(10, (m.sun.alt_deg + 18) / 2.4) - 1) : 0;
    const double covered = clouds(second);
    // Cloud hides the sky behind it and throws back the light of the ground: several times as bright as clear air.
    const double light = (dark + moon + twilight) * (1 - 0.8 * covered) + lamps * (1 + 4 * covered);
    Random random(m_seed * 1'000'003 + static_cast<unsigned long long>(second));
    return std::round(100 * (magnitudeOf(light) + 0.03 * random.normal())) / 100;
}

} // namespace caelumen
