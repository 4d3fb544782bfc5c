#include "core/plan/sky_light.h"

#include "core/base/phrase.h"
#include "core/sky/moonlight.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kDarkSky = 22.0, kExtinction = 0.172;

double domes(const std::vector<LightDome>& all, const Horizontal& place) {
    double sum = 0;
    for (const LightDome& d : all) {
        double away = std::abs(std::remainder(place.az_deg - d.azimuth_deg, 360));
        // Bright at the horizon, gone half way up.
        sum += d.strength * std::exp2(-std::pow(away / d.half_width_deg, 2)) * std::exp(-std::max(0.0, place.alt_deg) / 20);
    }
    return sum;
}

} // namespace

std::optional<SkyLight> skyLight(const Site& site, const SkyMoment& m) {
    const auto zenith = skyBrightness(site);
    if (!zenith || !m.target || m.target->alt_deg <= 0) return std::nullopt;
    const double whole = nanoLamberts(*zenith), natural = std::min(whole, nanoLamberts(kDarkSky));
    const double low = std::cos(m.target->alt_deg * M_PI / 180), x = 1 / std::sqrt(1 - 0.96 * low * low);
    const double rise = std::pow(10, -0.4 * kExtinction * (x - 1)) * x;
    SkyLight out;
    out.natural = natural * rise;
    out.lamps = (whole - natural) * rise * (1 + domes(site.domes, *m.target));
    out.moon = moonlightNanoLamberts(m.moonPhaseAngle_deg, m.moon.alt_deg, m.target->alt_deg, m.moonSeparation_deg.value_or(90), kExtinction);
    return out;
}

double backgroundRate(const SkyLight& light, const SystemChannel& channel, const LampMix& mix, double aperture_mm, double obstruction, double scale_arcsec) {
    const auto electrons = [&](const std::string& source, double nL) {
        const auto rate = channel.rate.find(source);
        return nL > 0 && rate != channel.rate.end() ? skyElectrons(rate->second, magnitudeOf(nL), aperture_mm, obstruction, scale_arcsec) : 0.0;
    };
    const std::array<std::pair<const char*, double>, 5> lamps{{{"high-pressure sodium", mix.highPressureSodium},
                                                               {"low-pressure sodium", mix.lowPressureSodium},
                                                               {"metal halide", mix.metalHalide},
                                                               {"LED 2700 K", mix.ledWarm},
                                                               {"LED 4000 K", mix.ledCool}}};
    double all = 0, sum = electrons(phrase("natural sky"), light.natural) + electrons("moonlight", light.moon);
    for (const auto& [name, share] : lamps) all += share;
    for (const auto& [name, share] : lamps)
        if (all > 0) sum += electrons(name, light.lamps * share / all);
    return sum;
}

} // namespace caelumen
