#pragma once

#include "core/model/plan.h"
#include "core/model/region.h"
#include "core/optics/claim.h"
#include "core/optics/spectra.h"

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// A glow of light above a town, as seen from a site.
struct LightDome {
    double azimuth_deg = 0;     ///< of its middle, from north through east
    double half_width_deg = 30; ///< where it has fallen to half
    double strength = 1;        ///< brightness at the horizon over that of the darkest direction, less one
    friend bool operator==(const LightDome&, const LightDome&) = default;
};

/// Where the sky begins in a direction.
struct HorizonPoint {
    double azimuth_deg = 0, altitude_deg = 0;
    friend bool operator==(const HorizonPoint&, const HorizonPoint&) = default;
};

struct Site {
    std::string name;
    std::optional<double> latitude_deg, longitude_deg; ///< north and east positive
    double elevation_m = 0;
    std::optional<int> bortle;              ///< 1..9
    std::optional<double> sqm;              ///< mag/arcsec^2, overrides the class
    std::vector<HorizonPoint> horizon = {}; ///< by azimuth; empty: flat
    std::vector<LightDome> domes = {};
    std::optional<LampMix> lamps = {}; ///< what its street light is made of
    std::string zone = {};             ///< of its clocks, by the system's zone data ("Africa/Johannesburg"); empty: this computer's
    friend bool operator==(const Site&, const Site&) = default;
};

struct Target {
    std::string name;
    std::optional<double> ra_deg, dec_deg; ///< ICRS
    friend bool operator==(const Target&, const Target&) = default;
};

/// Telescope and camera, as far as they are known. A run may override any field.
struct Rig {
    std::string name;
    std::optional<double> focal_length_mm, aperture_mm, obstruction; ///< obstruction: ratio of diameters
    std::optional<double> pixel_um, gain_e_per_adu, read_noise_e, full_well_e, pedestal_adu, full_scale_adu;
    std::map<std::string, double> gaps_mm; ///< between reflecting surfaces, in air
    std::optional<double> filter_thickness_mm;
    std::optional<double> reducer = {};       ///< factor that focal_length_mm already holds
    std::string camera = {};                  ///< id of one of the program's or the person's cameras; empty: none is chosen
    std::optional<double> gain_setting = {};  ///< row of that camera's gains
    std::optional<double> back_focus_mm = {}; ///< distance in air that the corrector asks for to the sensor
    friend bool operator==(const Rig&, const Rig&) = default;
};

struct Price {
    double amount = 0, shipping = 0;
    std::string currency;
    friend bool operator==(const Price&, const Price&) = default;
};

struct Filter {
    std::string id, name, kind; ///< kind: none, uv-ir-cut, light-pollution, multi-band, dual-band, single-line, near-infrared, other
    std::string curve;          ///< file, relative to the trial
    std::optional<Price> price;
    bool guessed = false;
    std::vector<BandClaim> claims = {};          ///< what the maker says
    std::optional<double> effective_index = {};  ///< of the coating, 1.4 to 2.2
    std::optional<double> made_for_f_ratio = {}; ///< its bands are shifted so that they fit in that cone
    std::optional<double> thickness_mm = {};
    int set_size = 1;       ///< filters that the price buys
    std::string set = {};   ///< the set's name: filters that are bought together have the same
    std::string mount = {}; ///< size and thread, as people say it
    std::string notes = {};
    std::vector<std::string> photos = {};         ///< files, relative to the trial
    std::string obtained = {};                    ///< bought, lent or given by the maker: for the disclosure
    std::string claimed_curve = {};               ///< the maker's own curve, file
    std::string certificate = {};                 ///< of this very filter, file or number
    std::optional<double> claimed_density = {};   ///< optical density that its maker promises between the bands
    std::optional<double> clear_aperture_mm = {}; ///< diameter that light passes through
    friend bool operator==(const Filter&, const Filter&) = default;
};

/// All subs of one filter on the target in one night and rig, as one stack.
struct Run {
    std::string id, filter;
    bool baseline = false;
    std::string stack;            ///< file, relative to the trial
    std::string combine = "mean"; ///< mean, median or sum
    std::optional<double> sub_exposure_s;
    std::optional<int> sub_count;
    std::string start; ///< ISO 8601, UTC; empty: unknown
    std::optional<double> sensor_temperature_c;
    std::string short_stack;
    std::optional<double> short_exposure_s;
    std::optional<int> short_count;
    std::string bayer = {};            ///< colour mosaic of its frames where headers are silent or wrong: "RGGB" as stored, "none"; empty: as headers say
    std::string odd_stack, even_stack; ///< of its odd and of its even subs alone, or neither: what they differ by is noise
    Rig rig;                           ///< overrides only
    std::string note;
    bool guessed = false;
    friend bool operator==(const Run&, const Run&) = default;
};

/// Runs compared with one another. A value: the whole of what a person edits.
struct Trial {
    std::string title;
    Site site;
    Target target;
    Rig rig;
    std::vector<Filter> filters;
    std::vector<Run> runs;
    std::vector<Region> regions;
    std::optional<Plan> plan = {}; ///< of the night that fills it
    friend bool operator==(const Trial&, const Trial&) = default;

    const Filter* filter(const std::string& id) const;
    const Run* run(const std::string& id) const;
    const Run* baseline() const; ///< the one marked, else none
};

/// Whether stacks belong into this trial: it has a plan, and a planned filter has no run yet.
bool awaitsStacks(const Trial& trial);

/// The rig of a run: what the run overrides, else the trial's.
Rig effectiveRig(const Trial& trial, const Run& run);
Rig effectiveRig(Rig rig, const Rig& own); ///< of a trial and of a run in it

/// Stacks of a run's odd and of its even subs.
struct Halves {
    std::filesystem::path odd, even; ///< empty without
    bool named = false;              ///< by the run, so that they must fit; else they lie beside its stack, where `caelumen-cli stack` writes them
};
Halves halvesOf(const Run& run, const std::filesystem::path& folder);

/// What of a trial is measured with: without prices, claims, photos, the title or the horizon.
Trial measuredPart(Trial trial);
/// Whether both give the same figures: they differ at most in what is not measured with, like prices, claims, photos, the title or the horizon.
bool measuredAlike(const Trial& a, const Trial& b);

/// Calls `visit` with each file name in a trial (empty ones too), to be read or, of a trial that is not constant, changed.
template<class AnyTrial, class Visit>
void eachFile(AnyTrial& trial, Visit visit) {
    for (auto& run : trial.runs)
        for (auto* file : {&run.stack, &run.short_stack, &run.odd_stack, &run.even_stack}) visit(*file);
    for (auto& filter : trial.filters) {
        visit(filter.curve);
        visit(filter.claimed_curve);
        for (auto& photo : filter.photos) visit(photo);
    }
}

/// Every file that a trial names, found from `folder`: stacks, curves, photos.
std::vector<std::filesystem::path> filesOf(const Trial& trial, const std::filesystem::path& folder);

/// Makes relative names of stacks and curves absolute, seen from `folder`.
void resolveFiles(Trial& trial, const std::filesystem::path& folder);

/// Altitude of the horizon in a direction: straight between its points, around the circle; 0 where none is given.
double horizonAt(const std::vector<HorizonPoint>& horizon, double azimuth_deg);

/// A horizon profile from text: azimuth and altitude in two columns, in the ways people write tables.
Result<std::vector<HorizonPoint>> parseHorizon(const std::string& text, const std::string& name);

/// Zenith sky brightness in V, mag/arcsec^2: the meter's reading, else the class's. Absent when neither is known.
std::optional<double> skyBrightness(const Site& site);

/// Zenith sky brightness in V, mag/arcsec^2, for a Bortle class 1..9 (class centres of docs/measurements.md).
double bortleBrightness(int bortle);

} // namespace caelumen
