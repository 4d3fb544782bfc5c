#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"

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
    double value = 0, sigma = 0;
    LeftOut leftOut = LeftOut::No;
};

struct TesterResults {
    std::string source; ///< the file as it is shown
    std::vector<TesterFigure> figures;
};

/// Ratios, whose errors are multiplied rather than added: they are averaged in logarithms.
bool isAveragedInLogarithms(const std::string& quantity);

/// The figures of a results file (docs/formats.md). What a fairness finding voids, and upper limits, are left out of the means but kept to be listed. Several
/// runs of a filter and several regions of a kind become their inverse-variance mean. An Error names the file and what is wrong with it.
Result<TesterResults> testerResultsFromJson(const Json& json, const std::string& name);

} // namespace caelumen
