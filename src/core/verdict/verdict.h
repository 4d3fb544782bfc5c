#pragma once

#include "core/grid/model.h"
#include "core/verdict/profile.h"

namespace caelumen {

/// One figure that goes into a score: enough to do the sum by hand.
struct VerdictFigure {
    Merit merit = Merit::Nebula;
    std::string quantity, channel;
    std::optional<std::size_t> sky; ///< of the profile's; none: the same under all
    std::optional<TargetKind> kind; ///< none: the same for all
    std::string origin;             ///< measured, scaled, modelled, or assumed where it was not tested
    double value = 0, sigma = 0;    ///< in the unit of the quantity
    double step = 0, stepSigma = 0; ///< from the baseline, in what somebody would notice
    double share = 1;               ///< of its merit
};

struct RankedFilter {
    std::string id, name;
    double score = 0, sigma = 0, pBest = 0; ///< steps from the baseline; chance of being the best, 0 to 1
    std::vector<std::string> tiedWith;      ///< ids that cannot be told apart at 95 %
    std::vector<std::string> reasons;
    std::array<double, kMerits.size()> steps{}, stepSigmas{}; ///< means by merit
    std::vector<VerdictFigure> figures;
};

struct FilterValue {
    std::string id;
    std::optional<double> price; ///< with shipping, of one filter, in the profile's currency, else in its own
    std::string currency, whyNoPrice;
    double hoursSaved = 0, sigma = 0; ///< a year, against the owned filter
    std::optional<double> pricePerHour;
    bool beyondBudget = false;
    bool saves() const;  ///< hours that can be told (95 %)
    double takenOut = 0; ///< share of the time whose light it, or what is owned, does not pass at all: no hours are counted there
};

/// Filters that are bought together, each put in where it gathers most.
struct SetValue {
    std::string name, bestAlone; ///< the member of the highest score
    std::vector<std::string> members;
    double score = 0, sigma = 0;              ///< steps from the baseline
    FilterValue value;                        ///< the price of all
    double moreHours = 0, moreHoursSigma = 0; ///< a year, than the best member alone
};

/// Which weight would make another filter win.
struct WeightChange {
    Merit merit = Merit::Nebula;
    double from = 0, to = 0; ///< the weight
    std::string winner;
};

struct Verdict {
    std::vector<RankedFilter> ranking; ///< best first, the baseline among them
    std::vector<FilterValue> value;
    std::vector<SetValue> sets;
    std::vector<WeightChange> sensitivity;
    std::vector<std::string> sentences, notTested, notes;
};

/// Ranks all filters of the trials, and the baseline, for a profile: per merit the step from the baseline in units of what a practitioner would notice,
/// averaged by shares of skies and kinds, then by weights (docs/measurements.md). What was not tested counts as no step with an error of 1.5, and is listed.
/// What a fairness finding voids does not count. An Error where the profile's own filter is none of the trials'.
Result<Verdict> judge(const Profile& profile, const std::vector<GridTrial>& trials, const GridModel& model);

Json verdictToJson(const Profile& profile, const Verdict& verdict);

} // namespace caelumen
