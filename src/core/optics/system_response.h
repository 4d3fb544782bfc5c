#pragma once

#include "core/optics/camera.h"
#include "core/optics/passband.h"
#include "core/optics/spectra.h"

#include <array>
#include <map>

namespace caelumen {

/// What a filter in its cone and a camera make of light, channel by channel.
struct SystemChannel {
    std::string name;
    std::map<EmissionLine, double> lines; ///< part of a line's light that becomes electrons (optics taken as clear)
    double nearInfrared = 0;              ///< of the electrons of a sunlike star (5800 K), the part from beyond 700 nm
    std::map<std::string, double> sky;    ///< by source: electrons with the filter over electrons without
    std::map<std::string, double> rate;   ///< by source: electrons s^-1 with the filter from each cm^2 of pupil and each V = 0 of light
    double starlight = 0;                 ///< of the electrons of a sunlike star (5800 K), the part that the filter leaves
};

/// Sources of sky light, by name: each kind of lamp alone, moonlight, natural sky.
const std::vector<std::pair<std::string, Spectrum>>& skySources();

/// Electrons s^-1 in a pixel for a `rate` above, a sky of `brightness` V mag per square arcsecond, a pupil in mm with its obstruction, and a pixel scale.
/// Optics are taken as clear.
double skyElectrons(double rate, double brightness, double aperture_mm, double obstruction, double scale_arcsec);

/// `effective`: the filter's curve in its cone; empty for no filter.
std::vector<SystemChannel> systemResponse(const Curve& effective, const Camera& camera);

/// Slope of the filter's star-colour index on the index without a filter, over black bodies of 3500 to 12000 K: 1 keeps all colour, 0 is monochrome. Absent
/// where a channel sees nothing.
struct ColourPrediction {
    std::string index;           ///< "B-R", "B-G", "G-R"
    std::optional<double> slope; ///< of the colour with the filter over that without
};
std::vector<ColourPrediction> predictColours(const Curve& effective, const Camera& camera);

/// What is to be told about a filter on a camera, in sentences; worst first.
std::vector<std::string> systemWarnings(const std::vector<SystemChannel>& channels, const Camera& camera, const Curve& effective);

} // namespace caelumen
