#include "core/sky/night_track.h"

#include "core/base/phrase.h"

#include <erfa.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace caelumen {
namespace {

constexpr double kDegree = M_PI / 180;

/// Between two places of the sky, along the chord: azimuths may pass north.
Horizontal between(const Horizontal& a, const Horizontal& b, double t) {
    double v[3];
    const auto part = [&](const Horizontal& h, int i) {
        const double alt = h.alt_deg * kDegree, az = h.az_deg * kDegree;
        return i == 0 ? std::cos(alt) * std::cos(az) : i == 1 ? std::cos(alt) * std::sin(az) : std::sin(alt);
    };
    for (int i = 0; i < 3; ++i) v[i] = (1 - t) * part(a, i) + t * part(b, i);
    double azimuth = std::atan2(v[1], v[0]) / kDegree;
    if (azimuth < 0) azimuth += 360;
    return {std::atan2(v[2], std::hypot(v[0], v[1])) / kDegree, azimuth};
}

double mix(double a, double b, double t) {
    return a + t * (b - a);
}

} // namespace

Result<NightTrack> NightTrack::of(const Observer& observer, const std::string& date, double ra_deg, double dec_deg) {
    int y = 0, m = 0, d = 0;
    char rest = 0;
    if (std::sscanf(date.c_str(), "%d-%d-%d%c", &y, &m, &d, &rest) != 3) return Error{phrase("\"{}\" is not a date; give it as 2026-06-20.", date)};
    const auto midnight = parseTime(date + "T00:00:00Z");
    if (!midnight) return midnight.error();
    NightTrack out;
    out.m_observer = observer;
    out.m_date = date;
    out.m_ra = ra_deg, out.m_dec = dec_deg;
    // The sun's mean noon: the same for all who live along one meridian, whatever their clocks say.
    const double longitude = std::remainder(observer.longitude_deg, 360);
    out.m_start = midnight->plusSeconds((12 - longitude / 15) * 3600);
    const Precession precession = precessionAt(out.m_start.plusSeconds(kLength / 2));
    std::vector<Bodies> hourly;
    for (int h = 0; h <= 24; ++h) hourly.push_back(bodiesAt(out.m_start.plusSeconds(3600.0 * h)));
    for (double s = 0; s <= kLength; s += kStep) {
        const auto h = std::min(static_cast<std::size_t>(s / 3600), hourly.size() - 2);
        out.m_samples.push_back(
            skyAt(observer, out.m_start.plusSeconds(s), ra_deg, dec_deg, precession, between(hourly[h], hourly[h + 1], s / 3600 - static_cast<double>(h))));
    }
    return out;
}

SkyMoment NightTrack::at(double second) const {
    const double place = std::clamp(second, 0.0, kLength) / kStep;
    const auto i = std::min(static_cast<std::size_t>(place), m_samples.size() - 2);
    const double t = place - static_cast<double>(i);
    const SkyMoment &a = m_samples[i], &b = m_samples[i + 1];
    SkyMoment out = t < 0.5 ? a : b;
    out.sun = between(a.sun, b.sun, t);
    out.moon = between(a.moon, b.moon, t);
    out.moonIlluminated = mix(a.moonIlluminated, b.moonIlluminated, t);
    out.moonPhaseAngle_deg = mix(a.moonPhaseAngle_deg, b.moonPhaseAngle_deg, t);
    out.moonDistance_km = mix(a.moonDistance_km, b.moonDistance_km, t);
    out.target = between(*a.target, *b.target, t);
    out.moonSeparation_deg = mix(*a.moonSeparation_deg, *b.moonSeparation_deg, t);
    out.airmass = airmassAt(out.target->alt_deg);
    out.twilight = twilightName(out.sun.alt_deg);
    return out;
}

std::vector<Span> NightTrack::where(const std::function<double(const SkyMoment&)>& height) const {
    std::vector<Span> out;
    double before = height(m_samples.front());
    if (before > 0) out.push_back({0, kLength});
    for (std::size_t i = 1; i < m_samples.size(); ++i) {
        const double now = height(m_samples[i]);
        if ((now > 0) != (before > 0)) {
            double low = kStep * static_cast<double>(i - 1), high = kStep * static_cast<double>(i);
            for (int k = 0; k < 12; ++k) {
                const double middle = (low + high) / 2;
                ((height(at(middle)) > 0) == (before > 0) ? low : high) = middle;
            }
            if (now > 0)
                out.push_back({high, kLength});
            else
                out.back().to = low;
        }
        before = now;
    }
    return out;
}

std::optional<Span> NightTrack::sunBelow(double alt_deg) const {
    const auto spans = where([&](const SkyMoment& s) { return alt_deg - s.sun.alt_deg; });
    if (spans.empty()) return std::nullopt;
    return *std::max_element(spans.begin(), spans.end(), [](const Span& a, const Span& b) { return a.length() < b.length(); });
}

std::vector<Span> NightTrack::moonUp() const {
    return where([](const SkyMoment& s) { return s.moon.alt_deg + 0.833; });
}

std::vector<Span> NightTrack::targetAbove(double lowest_deg, const std::function<double(double)>& horizonAt) const {
    return where([&](const SkyMoment& s) { return s.target->alt_deg - std::max(lowest_deg, horizonAt(s.target->az_deg)); });
}

std::optional<double> NightTrack::transit() const {
    // East of the meridian the azimuth's sine is positive, west of it negative.
    for (std::size_t i = 1; i < m_samples.size(); ++i) {
        const auto east = [](const SkyMoment& s) { return std::sin(s.target->az_deg * kDegree) * std::cos(s.target->alt_deg * kDegree); };
        const double a = east(m_samples[i - 1]), b = east(m_samples[i]);
        if (a >= 0 && b < 0) return kStep * (static_cast<double>(i - 1) + a / (a - b)); // circumpolar ones pass below the pole the other way
    }
    return std::nullopt;
}

std::string isoTime(const JulianDate& utc) {
    int y = 0, m = 0, d = 0, hmsf[4];
    eraD2dtf("UTC", 0, utc.day, utc.fraction, &y, &m, &d, hmsf);
    return fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}Z", y, m, d, hmsf[0], hmsf[1], hmsf[2]);
}

std::vector<Span> overlap(const std::vector<Span>& a, const std::vector<Span>& b) {
    std::vector<Span> out;
    for (const Span& x : a)
        for (const Span& y : b)
            if (const Span s{std::max(x.from, y.from), std::min(x.to, y.to)}; s.length() > 0) out.push_back(s);
    std::sort(out.begin(), out.end(), [](const Span& x, const Span& y) { return x.from < y.from; });
    return out;
}

} // namespace caelumen
