#pragma once

#include "core/base/json_fwd.h"
#include "core/model/trial.h"

namespace caelumen {

/// The filters that a campaign owns, whichever trial they were described in; each once, told apart by name. A trial holds its own copy, so that it stands
/// alone.
using FilterShelf = std::vector<Filter>;

const Filter* onShelf(const FilterShelf& shelf, const std::string& name);

/// Keeps what the filters of a trial say now. Guessed ones, of which a header told no more than a name, teach the shelf nothing.
void keepOnShelf(FilterShelf& shelf, const Trial& trial);

/// Fills in what the trial's filters do not say themselves (curve, claims, price, glass ...); a guessed filter becomes the shelf's. What a filter says stays.
/// Whether anything changed.
bool fillFromShelf(Trial& trial, const FilterShelf& shelf);

/// In what a filter of a trial says otherwise than the shelf, in words; empty: alike.
std::vector<std::string> differences(const Filter& own, const Filter& shelved);

Json shelfToJson(const FilterShelf& shelf);
Result<FilterShelf> shelfFromJson(const Json& json, const std::string& name);

} // namespace caelumen
