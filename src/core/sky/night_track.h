#pragma once

#include "core/sky/ephemeris.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A stretch of time, seconds after the start of a night.
struct Span {
    double from = 0, to = 0; ///< seconds after the start
    double length() const { return to - from; }
    friend bool operator==(const Span&, const Span&) = default;
};

/// Sun, moon and a target from the sun's noon of one day to that of the next, at one place. Sampled once; what lies between is interpolated, so that a plan can
/// be moved about while it is looked at.
class NightTrack {
public:
    /// `date`: the evening's, as "2026-06-20". An error for a date that is none or lies outside 1900 to 2100.
    static Result<NightTrack> of(const Observer& observer, const std::string& date, double ra_deg, double dec_deg);

    const Observer& observer() const { return m_observer; }
    const std::string& date() const { return m_date; }
    double targetRa_deg() const { return m_ra; }
    double targetDec_deg() const { return m_dec; }
    JulianDate start() const { return m_start; }
    static constexpr double kLength = 86400;

    /// At seconds after the start, 0 to a day. Within 0.01 degrees of skyAt.
    SkyMoment at(double second) const;
    const std::vector<SkyMoment>& samples() const { return m_samples; }
    static constexpr double kStep = 300; ///< seconds between samples

    /// When the sun is lower than `alt_deg`; absent when it never is.
    std::optional<Span> sunBelow(double alt_deg) const;
    /// When the moon is up, in order of time; a little below the horizon because air lifts it and it is no point.
    std::vector<Span> moonUp() const;
    /// When the target stands above `lowest_deg` and above the horizon's profile.
    std::vector<Span> targetAbove(double lowest_deg, const std::function<double(double)>& horizonAt) const;
    /// When the target crosses the meridian at its highest; absent when that is not in this day.
    std::optional<double> transit() const;

private:
    std::vector<Span> where(const std::function<double(const SkyMoment&)>& height) const; ///< spans in which it is above zero
    Observer m_observer;
    std::string m_date;
    double m_ra = 0, m_dec = 0;
    JulianDate m_start;
    std::vector<SkyMoment> m_samples;
};

/// UTC as "2026-06-20T18:05:00Z", to the second.
std::string isoTime(const JulianDate& utc);

/// The parts of `a` that lie in any of `b`.
std::vector<Span> overlap(const std::vector<Span>& a, const std::vector<Span>& b);

} // namespace caelumen
