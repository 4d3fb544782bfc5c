#include "core/live/time_left.h"

#include "core/base/phrase.h"
#include "core/sky/ephemeris.h"

namespace caelumen {

std::optional<TimeLeft> timeLeft(const Site& site, const Target& target, const std::string& from) {
    const auto start = parseTime(from);
    if (!start || !site.latitude_deg || !site.longitude_deg || !target.ra_deg || !target.dec_deg) return std::nullopt;
    constexpr double kStep = 300, kDark = -15, kUp = -0.8, kLow = 30;
    const Observer observer{*site.latitude_deg, *site.longitude_deg, site.elevation_m};
    const Precession precession = precessionAt(*start);
    const auto at = [&](double s) {
        const JulianDate t = start->plusSeconds(s);
        return skyAt(observer, t, target.ra_deg, target.dec_deg, precession, bodiesAt(t));
    };
    const SkyMoment now = at(0);
    if (now.sun.alt_deg > kDark || !now.target) return std::nullopt;
    const double low = std::min(kLow, now.target->alt_deg - 3); // who began lower means to
    for (double s = kStep; s < 86400; s += kStep) {
        const SkyMoment m = at(s);
        if (m.sun.alt_deg > kDark) return TimeLeft{s, "dawn"};
        if (m.target->alt_deg < low) return TimeLeft{s, low == kLow ? phrase("the target sinks below 30 degrees") : phrase("the target sinks lower")};
        if (now.moon.alt_deg < kUp && m.moon.alt_deg > kUp) return TimeLeft{s, phrase("the moon rises")};
        if (now.moon.alt_deg > kUp && m.moon.alt_deg < kUp) return TimeLeft{s, phrase("the moon sets")};
    }
    return std::nullopt;
}

} // namespace caelumen
