#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// Why a figure does not count when results are merged.
enum class LeftOut { No, Voided, Limit, NoError, NotPositive };
const char* leftOutReason(LeftOut why); ///< a sentence; empty for No

/// One figure of one tester's night, its runs of one filter and its regions of one kind taken together.
struct TesterFigure {
    std::string filter, channel, quantity, regionKind; ///< channel and kind may be empty; the second ring of a halo star is a kind of its own ("halo_star#2")
    double value = 0, sigma = 0;                       ///< in the unit of the quantity
    LeftOut leftOut = LeftOut::No;
};

/// What is known of how a run was taken, as far as the file says.
struct TesterRun {
    std::string run, filter;
    std::string start; ///< ISO 8601, UTC
    std::optional<double> scale_arcsec, focalRatio, moonIlluminated, moonAltitude_deg, targetAltitude_deg, total_s, skyMag;
    std::vector<std::string> unfair; ///< what else differed, in sentences; what was made good is not among them
};

struct TesterResults {
    std::string source; ///< the file as it is shown, or who shared it
    std::vector<TesterFigure> figures;
    std::vector<TesterRun> runs;
    std::map<std::string, std::string> names; ///< of filters, where the file tells them
};

/// Ratios, whose errors are multiplied rather than added: they are averaged in logarithms.
bool isAveragedInLogarithms(const std::string& quantity);
bool isAngle(const std::string& quantity); ///< in degrees, around a whole turn
/// The turn of an angle that lies within half a turn of another, so that both can be averaged.
double turnedTowards(double angle_deg, double other_deg);

/// The figures of a results file or of a file to share (docs/formats.md). What a fairness finding voids, and upper limits, are left out of the means but kept
/// to be listed. Several runs of a filter and several regions of a kind become their inverse-variance mean. An Error names the file and what is wrong with it.
Result<TesterResults> testerResultsFromJson(const Json& json, const std::string& name);

/// Whether both tell of the same night: all figures that they have in common, five at least, are the same to the last digit.
bool areTheSame(const TesterResults& a, const TesterResults& b);

/// What sets a tester apart from the others in a filter's runs, in sentences: its own unfairness, and conditions unlike those of the rest.
std::vector<std::string> whyApart(const std::vector<TesterResults>& testers, std::size_t which, const std::string& filter);

} // namespace caelumen
