#pragma once

#include "core/prepare/found_stars.h"
#include "core/prepare/sub_planes.h"
#include "core/sky/ephemeris.h"

#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace caelumen {

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
    bool measured() const { return !channel.empty() || !problem.empty(); }
    // With place and target:
    std::optional<double> airmass, moonAltitude_deg, sunAltitude_deg, moonlight_nL;
};

/// Figures that nobody changes any more: copies share them.
class SharedFigures {
public:
    SharedFigures() = default;
    SharedFigures(SubFigures figures)
        : m_figures(std::make_shared<const SubFigures>(std::move(figures))) {}
    const SubFigures& operator*() const {
        static const SubFigures none;
        return m_figures ? *m_figures : none;
    }
    const SubFigures* operator->() const { return &**this; }
    operator const SubFigures&() const { return **this; }

private:
    std::shared_ptr<const SubFigures> m_figures;
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
