#pragma once

#include "core/prepare/sub_planes.h"
#include "core/sky/ephemeris.h"

#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace caelumen {

/// A star of one sub, for laying subs on each other and for transparency.
struct SubStar {
    Point at;              ///< stored pixels
    double flux = 0;       ///< through an aperture of the run, ADU; 0 where that is spoilt
    double brightness = 0; ///< as found, for matching
};

/// The stars of one sub. Copies share them: figures go from thread to thread with every sub that lands, and a night has thousands.
class FoundStars {
public:
    FoundStars() = default;
    FoundStars(std::vector<SubStar> stars)
        : m_stars(std::make_shared<const std::vector<SubStar>>(std::move(stars))) {}
    auto begin() const { return all().begin(); }
    auto end() const { return all().end(); }
    std::size_t size() const { return all().size(); }
    const std::vector<SubStar>& all() const {
        static const std::vector<SubStar> none;
        return m_stars ? *m_stars : none;
    }

private:
    std::shared_ptr<const std::vector<SubStar>> m_stars;
};

/// What one sub shows by itself (docs/measurements.md, Sub-frames).
struct SubFigures {
    std::string file;
    std::string problem;  ///< why nothing could be measured; a sentence
    bool foreign = false; ///< another filter, gain or scale than the others: `problem` says which
    std::string start;    ///< ISO 8601, UTC; empty: unknown
    std::optional<double> exposure_s = {};
    std::optional<double> temperature_c;
    std::map<std::string, double> level;              ///< sky of each channel, ADU above zero
    std::map<std::string, double> noise;              ///< of a sky pixel, ADU
    std::map<std::string, std::array<double, 4>> sky; ///< b0, bx, by, q of each channel's surface, in its plane (core/measure/surface.h)
    std::string channel;                              ///< that stars, gradient and trails were looked for in
    int stars = 0;                                    ///< above 5 sigma
    std::optional<double> fwhm_px, eccentricity;      ///< stored pixels
    std::optional<double> tilt;                       ///< FWHM of the worst corner over the middle's; absent with few stars there
    double tiltSigma = 0;
    double gradient = 0, vignette = 0; ///< parts of the level
    double vignetteSigma = 0;          ///< large where hardly any sky is seen
    int trails = 0;
    double aperture_px = 0;   ///< radius that stars were measured through, stored pixels
    double saturatedPart = 0; ///< of the pixels
    FoundStars found;         ///< brightest first
    // With the other subs:
    std::optional<double> transparency; ///< over the run's best decile
    // With place and target:
    std::optional<double> airmass, moonAltitude_deg, sunAltitude_deg, moonlight_nL;
};

/// Sky in its star channel, e-/s/px; ADU/s where the gain is not known.
double skyRate(const SubFigures& figures, std::optional<double> gain_e_per_adu);

struct SubMeasuring {
    std::size_t channel = 0;   ///< that stars are looked for in
    double apertureRadius = 0; ///< plane pixels; 0: from this sub's own stars
    double fullScale = 65535;  ///< ADU above zero
};

/// Measures calibrated planes of one sub, and takes hot and dead pixels out of the one that stars are looked for in.
SubFigures measureSub(std::vector<Plane>& planes, const FrameInfo& info, const SubMeasuring& how);

/// The radius that this sub's own stars ask for, plane pixels; nothing where it shows too few. Takes out the same pixels.
std::optional<double> ownAperture(std::vector<Plane>& planes, const FrameInfo& info, const SubMeasuring& how);

/// The channel in which a frame shows most stars: green where it does nearly as well.
std::size_t starChannel(const std::vector<Plane>& planes, const FrameInfo& info, double fullScale);

/// Where sun, moon and target stood at the middle of a sub, where that can be known.
void placeInSky(SubFigures& figures, const Site& site, const Target& target);

} // namespace caelumen
