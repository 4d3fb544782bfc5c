#pragma once

#include "core/log/log_entry.h"

#include <span>
#include <string>
#include <vector>

namespace caelumen {

/// What somebody types to find runs: words, `field:word`, `"several words"`, `-word` for what must not be there, `from:` and `to:` with dates or parts of them.
struct LogQuery {
    struct Term {
        std::string field, word; ///< field empty: anywhere
        bool without = false;
        friend bool operator==(const Term&, const Term&) = default;
    };
    std::vector<Term> terms;
    std::string from, to; ///< "2025", "2025-03", "2025-03-14"; whole days
    bool empty() const { return terms.empty() && from.empty() && to.empty(); }
};

/// The fields that a word can be looked for in, as typed and as indexed.
std::span<const char* const> logFields();
/// Never fails: a field that is not known is part of the word.
LogQuery parseLogQuery(const std::string& text);
/// The match expression of SQLite's FTS5 for its terms, each word a prefix: all that must be there, or any of those that must not; empty for none.
std::string matchExpression(const LogQuery& query, bool without);
/// What an entry says in a field, for the index.
std::string logText(const LogEntry& entry, const std::string& field);
/// Whether a night lies within the query's dates; one without a date only where none are asked.
bool isWithin(const LogQuery& query, const std::string& night);

/// What hours are counted by.
enum class LogFacet { Filter, Kind, Target, Place, Sky, Moon, Rig, Year, None };
const char* logFacetName(LogFacet facet);                   ///< as shown
const char* logFacetField(LogFacet facet);                  ///< of a query; empty for none
std::string facetOf(const LogEntry& entry, LogFacet facet); ///< "not known" where it is not

/// Hours of runs by two facets.
struct LogHours {
    std::vector<std::string> rows, columns; ///< most hours first; classes of the sky, moons and years in their order
    std::vector<std::vector<double>> seconds;
    std::vector<int> runs;                ///< of each row
    std::vector<std::string> first, last; ///< nights of each row; empty: unknown
};
LogHours hoursBy(const std::vector<const LogEntry*>& entries, LogFacet rows, LogFacet columns);

} // namespace caelumen
