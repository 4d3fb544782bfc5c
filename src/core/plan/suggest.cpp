#include "core/plan/suggest.h"

#include "core/base/phrase.h"

#include <erfa.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace caelumen {
namespace {

constexpr double kDegree = M_PI / 180;

/// Hour angle and declination from a place in the sky, and back, for one latitude: a catalogue of hundreds is not sent through the whole of the earth's
/// turning.
struct Turning {
    double sinLat, cosLat;
    explicit Turning(double latitude_deg)
        : sinLat(std::sin(latitude_deg * kDegree))
        , cosLat(std::cos(latitude_deg * kDegree)) {}
    std::pair<double, double> hourAngleAndDeclination(const Horizontal& h) const {
        const double a = h.alt_deg * kDegree, z = h.az_deg * kDegree;
        const double dec = std::asin(std::clamp(std::sin(a) * sinLat + std::cos(a) * std::cos(z) * cosLat, -1.0, 1.0));
        return {std::atan2(-std::cos(a) * std::sin(z), std::sin(a) * cosLat - std::cos(a) * std::cos(z) * sinLat) / kDegree, dec / kDegree};
    }
    Horizontal horizontal(double hourAngle_deg, double dec_deg) const {
        const double h = hourAngle_deg * kDegree, d = dec_deg * kDegree;
        const double alt = std::asin(std::clamp(std::sin(d) * sinLat + std::cos(d) * std::cos(h) * cosLat, -1.0, 1.0));
        double az = std::atan2(-std::cos(d) * std::sin(h), std::sin(d) * cosLat - std::cos(d) * std::cos(h) * sinLat) / kDegree;
        if (az < 0) az += 360;
        return {alt / kDegree, az};
    }
};

std::string hoursText(double s) {
    return fmt::format("{:.1f} h", s / 3600);
}

} // namespace

PassedLines passedLines(const std::vector<PlanFilter>& filters) {
    PassedLines out;
    // The narrowest filter sets what the test is about.
    double least = 2;
    for (const PlanFilter& f : filters) {
        double hydrogen = 0, oxygen = 0, sulphur = 0, starlight = 0;
        for (const SystemChannel& c : f.channels) {
            hydrogen = std::max(hydrogen, c.lines.at(EmissionLine::Halpha));
            oxygen = std::max(oxygen, c.lines.at(EmissionLine::OIII));
            sulphur = std::max(sulphur, c.lines.at(EmissionLine::SII));
            starlight = std::max(starlight, c.starlight);
        }
        if (starlight >= least) continue;
        least = starlight;
        out = {std::min(1.0, hydrogen / 0.5), std::min(1.0, oxygen / 0.5), std::min(1.0, sulphur / 0.5), starlight > 0.3};
    }
    return out;
}

namespace {

constexpr double kStep = 600; ///< seconds between two looks at the night

struct Moment {
    double second, hourAngleOfZeroRa; ///< sidereal angle, so far as altitude needs it
    SkyMoment sky;
    double moonRa, moonDec;
};

std::vector<Moment> momentsOf(const NightTrack& track, const Span& dark, const Turning& turning) {
    std::vector<Moment> moments;
    double a = 0, b = 0, tt1 = 0, tt2 = 0;
    for (double s = dark.from; s <= dark.to; s += kStep) {
        const JulianDate t = track.start().plusSeconds(s);
        eraUtctai(t.day, t.fraction, &a, &b);
        eraTaitt(a, b, &tt1, &tt2);
        const double sidereal = eraGst06a(t.day, t.fraction, tt1, tt2) / kDegree + track.observer().longitude_deg;
        Moment m{s, sidereal, track.at(s), 0, 0};
        const auto [ha, dec] = turning.hourAngleAndDeclination(m.sky.moon);
        m.moonRa = sidereal - ha;
        m.moonDec = dec;
        moments.push_back(m);
    }
    return moments;
}

/// A target's way through the night.
struct Passage {
    double usable_s = 0, east_s = 0, west_s = 0; ///< of the meridian
    double highest_deg = 0, moonAway_deg = 180;  ///< the moon where the target is highest
    double moonlit = 0;                          ///< part of the usable time, by the moon's light
};

/// Positions of the year 2000: within half a degree for decades, ample for a suggestion.
Passage passageOf(const DeepSky& d, const std::vector<Moment>& moments, const Turning& turning, const Plan& plan, const Site& site) {
    Passage p;
    for (const Moment& m : moments) {
        const double hourAngle = std::remainder(m.hourAngleOfZeroRa - d.ra_deg, 360);
        const Horizontal h = turning.horizontal(hourAngle, d.dec_deg);
        if (h.alt_deg < std::max(plan.lowest_deg, horizonAt(site.horizon, h.az_deg))) continue;
        p.usable_s += kStep;
        (hourAngle < 0 ? p.east_s : p.west_s) += kStep;
        if (m.sky.moon.alt_deg > 0) {
            p.moonlit += kStep * m.sky.moonIlluminated;
            if (h.alt_deg > p.highest_deg) p.moonAway_deg = separation_deg(m.moonRa, m.moonDec, d.ra_deg, d.dec_deg);
        }
        p.highest_deg = std::max(p.highest_deg, h.alt_deg);
    }
    if (p.usable_s > 0) p.moonlit /= p.usable_s;
    return p;
}

/// What speaks for a target, each part 0 to 1.
struct Parts {
    double light = 0, fits = 0, time = 0, height = 0, moon = 0, flip = 1;
    double score() const { return std::clamp(light, 0.0, 1.0) * fits * (0.4 + 0.6 * time) * (0.5 + 0.5 * height) * std::clamp(moon, 0.05, 1.0) * flip; }
};

double lightFor(const DeepSky& d, const PassedLines& passed) {
    const double lines = passed.hydrogen * d.hydrogen + passed.oxygen * d.oxygen + passed.sulphur * d.sulphur;
    double light = lines / (3 * std::max(0.5, passed.hydrogen + passed.oxygen + passed.sulphur));
    // A filter with two lines wants a target that has both.
    if (passed.oxygen > 0.3 && d.oxygen == 0) light *= 0.4;
    if (passed.sulphur > 0.3 && d.sulphur == 0) light *= 0.5;
    return passed.broadband ? std::max(light, 0.3 * d.continuum) : light;
}

Parts partsOf(const DeepSky& d, const PassedLines& passed, const Passage& p, double fill, bool flips) {
    Parts out;
    out.light = lightFor(d, passed);
    out.fits = fill <= 0 ? 0.3 : fill < 0.08 ? 0.2 : fill < 0.25 ? 0.6 : fill <= 0.9 ? 1 : fill < 1.5 ? 0.7 : 0.35;
    out.time = std::min(1.0, p.usable_s / (5 * 3600)), out.height = std::min(1.0, p.highest_deg / 60);
    // Oxygen suffers most from moonlight.
    const double near = p.moonAway_deg < 30 ? 1.6 : p.moonAway_deg < 60 ? 1.1 : 0.7;
    out.moon = 1 - p.moonlit * (0.5 + 0.3 * passed.oxygen) * near;
    out.flip = flips ? 0.9 : 1.0;
    return out;
}

std::vector<std::string> reasonsFor(const Suggestion& g, const PassedLines& passed, double moonlit) {
    const DeepSky& d = *g.target;
    std::vector<std::string> shows, out;
    if (passed.hydrogen > 0.3 && d.hydrogen > 1) shows.emplace_back("hydrogen");
    if (passed.oxygen > 0.3 && d.oxygen > 1) shows.emplace_back("oxygen");
    if (passed.sulphur > 0.3 && d.sulphur > 1) shows.emplace_back("sulphur");
    if (shows.empty() && d.continuum > 1) shows.emplace_back("starlight");
    if (!shows.empty()) out.push_back(fmt::format("shows {}", fmt::join(shows, ", ")));
    out.push_back(phrase("{} usable, up to {:.0f} degrees", hoursText(g.usable_s), g.highest_deg));
    if (g.fill > 0) out.push_back(phrase("fills {:.0f} % of the frame's shorter side", 100 * g.fill));
    if (moonlit > 0.02) out.push_back(phrase("moon {:.0f} degrees away", g.moonAway_deg));
    return out;
}

/// The worst part, in a sentence; none where all are good.
std::string weaknessOf(const Suggestion& g, const PassedLines& passed, const Parts& parts, double series_s) {
    const DeepSky& d = *g.target;
    const std::pair<double, std::string> weak[] = {
        {parts.light, passed.oxygen > 0.3 && d.oxygen < 2     ? phrase("Little oxygen: it says little about that band.")
                      : passed.sulphur > 0.3 && d.sulphur < 2 ? phrase("Little sulphur: it says little about that band.")
                                                              : phrase("Faint in what the filters pass.")},
        {parts.fits, g.fill < 0.25 ? phrase("Small in this frame.") : phrase("Larger than the frame: no sky is left beside it.")},
        {parts.time, phrase("Only {} in this night.", hoursText(g.usable_s))},
        {parts.height, phrase("Stays low, {:.0f} degrees at most.", g.highest_deg)},
        {parts.moon, phrase("The moon is {:.0f} degrees away.", g.moonAway_deg)},
        {parts.flip, phrase("The series takes {} and cannot be had on one side of the meridian: the mount must flip between blocks.", hoursText(series_s))}};
    const auto* worst = std::min_element(std::begin(weak), std::end(weak), [](const auto& x, const auto& y) { return x.first < y.first; });
    return worst->first < 0.95 ? worst->second : std::string();
}

} // namespace

std::vector<Suggestion> suggestTargets(const std::vector<DeepSky>& among, const PassedLines& passed, std::pair<double, double> frame, const Plan& plan,
                                       const Site& site, const NightTrack& track, std::size_t most) {
    std::vector<Suggestion> out;
    const auto dark = track.sunBelow(plan.twilight_deg);
    if (!dark) return out;
    const Turning turning(track.observer().latitude_deg);
    const std::vector<Moment> moments = momentsOf(track, *dark, turning);
    const double series = seriesLength(plan), narrow_arcmin = std::min(frame.first, frame.second) * 60;
    for (const DeepSky& d : among) {
        const Passage p = passageOf(d, moments, turning, plan, site);
        if (p.usable_s < 3600) continue;
        Suggestion g;
        g.target = &d;
        g.usable_s = p.usable_s, g.highest_deg = p.highest_deg, g.moonAway_deg = p.moonAway_deg;
        g.fill = narrow_arcmin > 0 ? std::max(d.width_arcmin, d.height_arcmin) / narrow_arcmin : 0;
        // Blocks never lie over the meridian; a series that fits on one side of it needs no flip at all.
        const bool flips = plan.flip == FlipSchool::Wait && std::max(p.east_s, p.west_s) < std::min(series, p.usable_s);
        const Parts parts = partsOf(d, passed, p, g.fill, flips);
        g.score = parts.score();
        if (g.score < 0.02) continue;
        g.reasons = reasonsFor(g, passed, p.moonlit);
        g.weakness = weaknessOf(g, passed, parts, series);
        out.push_back(std::move(g));
    }
    std::sort(out.begin(), out.end(), [](const Suggestion& x, const Suggestion& y) { return x.score > y.score; });
    if (out.size() > most) out.resize(most);
    return out;
}

std::string dateAfter(const std::string& date, int days) {
    int y = 0, m = 0, d = 0;
    if (std::sscanf(date.c_str(), "%d-%d-%d", &y, &m, &d) != 3) return date;
    double day = 0, month = 0, fraction = 0;
    if (eraCal2jd(y, m, d, &day, &month) != 0) return date;
    eraJd2cal(day, month + days, &y, &m, &d, &fraction);
    return fmt::format("{:04}-{:02}-{:02}", y, m, d);
}

Result<std::vector<CalendarNight>> calendar(const std::string& first, int nights, int step, const Plan& plan, const Site& site, double ra, double dec) {
    std::vector<CalendarNight> out;
    const Observer here{site.latitude_deg.value_or(0), site.longitude_deg.value_or(0), site.elevation_m};
    const auto total = [](const std::vector<Span>& spans) {
        double sum = 0;
        for (const Span& s : spans) sum += s.length();
        return sum;
    };
    for (int k = 0; k < nights; ++k) {
        const std::string date = dateAfter(first, k * step);
        const auto track = NightTrack::of(here, date, ra, dec);
        if (!track) return track.error();
        CalendarNight n;
        n.date = date;
        n.moonLit = track->at(NightTrack::kLength / 2).moonIlluminated;
        if (const auto dark = track->sunBelow(plan.twilight_deg)) {
            const auto moon = track->moonUp(), target = usable(plan, site, *track);
            n.dark_s = dark->length();
            n.moonless_s = n.dark_s - total(overlap({*dark}, moon));
            n.target_s = total(target);
            n.target_moonless_s = n.target_s - total(overlap(target, moon));
        }
        out.push_back(n);
    }
    return out;
}

} // namespace caelumen
