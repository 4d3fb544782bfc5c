#pragma once

#include "core/image/sky_coordinates.h"
#include "core/model/facts.h"
#include "core/model/ranking.h"
#include "core/model/trial_json.h"
#include "core/sky/ephemeris.h"
#include "core/stars/alignment.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

struct Measurement {
    std::string run, filter, channel, quantity;
    std::string region;          ///< empty: the whole frame
    double value = 0, sigma = 0; ///< in the unit of its quantity (core/model/quantity.h); one standard deviation
    std::vector<std::string> flags;
    bool headline = false; ///< of its quantity and run: what a one-line comparison shows
    std::string note;      ///< e.g. the gap that explains a halo

    bool flagged(const std::string& flag) const;
};

struct Absence {
    std::string run, channel, quantity, region, reason;
};

enum class Grade { Note, Weakens, Voids };
const char* gradeName(Grade grade);

/// Something besides the filter that differed from the baseline.
struct Unfairness {
    std::string run, subject;
    Grade grade = Grade::Note;
    std::vector<std::string> quantities; ///< what it touches
    std::string text;
    bool normalised = false;
};

struct RunAlignment {
    std::string run;
    Alignment alignment;
};

/// What was known about a run when it was measured.
struct RunConditions {
    std::string run;
    std::optional<double> sub_exposure_s, total_s;
    std::optional<int> sub_count;
    double gain_e_per_adu = 1;
    bool gainAssumed = false;
    std::optional<double> scale_arcsec; ///< per stored pixel
    std::optional<double> focal_ratio;
    std::optional<SkyCoordinates> wcs;                                        ///< of the header
    std::optional<double> wcsOffset_px;                                       ///< how far the header's sky coordinates lie from the baseline's stars
    std::optional<double> nearInfrared;                                       ///< mean transmission of the filter from 700 to 1000 nm, where a curve is given
    int bits = 0;                                                             ///< of integer data; 0: floating point
    std::optional<double> sensor_temperature_c, gain_setting, offset_setting; ///< settings: as the camera counts them
    std::optional<double> night_transparency, night_transparency_sigma;       ///< starlight over the night's clearest, on a scale that all its runs share
    std::map<std::string, std::pair<double, double>> moon_response;           ///< by channel, e-/s/px for each nanolambert of moonlight, and its error
    std::string start, camera, combine;
    std::optional<SkyMoment> sky; ///< at the middle of the run
    int width = 0, height = 0;
    std::vector<std::string> flags;     ///< for every figure of the run
    std::vector<Fact> facts;            ///< of telescope and camera, with who says so
    std::vector<std::string> conflicts; ///< header against trial, in words
};

struct RunEvidence; ///< what figures were read from (core/compare/evidence.h)

struct TrialResults {
    std::string trial;
    std::string baseline; ///< id of the run
    std::vector<RunAlignment> alignment;
    std::vector<Measurement> measurements;
    std::vector<Absence> absent;
    std::vector<Unfairness> fairness;
    std::vector<Ranking> ranking;
    std::vector<RunConditions> conditions;
    std::vector<std::string> warnings;                        ///< what was left out, and why
    std::shared_ptr<const std::vector<RunEvidence>> evidence; ///< in memory, never written

    const Measurement* find(const std::string& run, const std::string& quantity, const std::string& channel = {}, const std::string& region = {}) const;
    /// The one row that speaks for a quantity and run (and region, when given).
    const Measurement* headline(const std::string& run, const std::string& quantity, const std::string& region = {}) const;
    const RunConditions* conditionsOf(const std::string& run) const;
    const Absence* whyAbsent(const std::string& run, const std::string& quantity) const;
};

/// As in docs/formats.md.
Json resultsToJson(const TrialResults& results);
std::string resultsToCsv(const TrialResults& results);

/// The program and its version, as it stands in files.
std::string programName();

} // namespace caelumen
