#pragma once

#include "core/model/trial.h"

#include <map>

namespace caelumen {

/// What goes from one campaign to another: filters with their curves, the telescope and the place (docs/formats.md).
struct KitFile {
    std::vector<Filter> filters;
    std::map<std::string, Curve> curves, claimed; ///< measured and the maker's own, by filter id; none where no curve is known
    Rig rig;
    Site site;
};

/// Of a trial; curves are read from its files, seen from `folder`. What cannot be read is an error.
Result<KitFile> kitOf(const Trial& trial, const std::filesystem::path& folder);

std::string kitToText(const KitFile& kit); ///< JSON
Result<KitFile> kitFromText(const std::string& text, const std::string& name);

/// Filters as a table, one a row, with a head line; and back. Curves are not in it.
std::string filtersToCsv(const std::vector<Filter>& filters);
/// `unknown` (may be null) gets the headings of columns that say nothing to this program.
Result<std::vector<Filter>> filtersFromCsv(const std::string& text, const std::string& name, std::vector<std::string>* unknown = nullptr);

/// A trial's telescope with what it does not say itself filled from another; `kept` gets a sentence for each fact that differs and was kept.
Rig filledFrom(const Rig& own, const Rig& other, std::vector<std::string>& kept);

/// Adds the filters of a kit to a trial under ids of their own; a filter that is there with the same name is replaced, keeping its id. Curves are written into
/// `folder` as CSV.
Status addToTrial(const KitFile& kit, Trial& trial, const std::filesystem::path& folder);

} // namespace caelumen
