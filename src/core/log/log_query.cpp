#include "core/log/log_query.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <set>

namespace caelumen {
namespace {

constexpr std::array<const char*, 11> kFields{"filter", "kind", "target", "place", "sky", "moon", "rig", "night", "trial", "tag", "note"};
constexpr const char* kUnknown = "not known";

struct FacetWords {
    LogFacet facet;
    const char *name, *field;
};
constexpr std::array kFacets{FacetWords{LogFacet::Filter, "filter", "filter"}, FacetWords{LogFacet::Kind, "kind of filter", "kind"},
                             FacetWords{LogFacet::Target, "target", "target"}, FacetWords{LogFacet::Place, "place", "place"},
                             FacetWords{LogFacet::Sky, "sky", "sky"},          FacetWords{LogFacet::Moon, "moon", "moon"},
                             FacetWords{LogFacet::Rig, "rig", "rig"},          FacetWords{LogFacet::Year, "year", "night"},
                             FacetWords{LogFacet::None, "all together", ""}};
const FacetWords& wordsOf(LogFacet facet) {
    return *std::find_if(kFacets.begin(), kFacets.end(), [&](const FacetWords& w) { return w.facet == facet; });
}

/// Words, those in quotation marks together; a mark may stand behind a colon.
std::vector<std::string> wordsOf(const std::string& text) {
    std::vector<std::string> out;
    std::string word;
    bool quoted = false;
    for (const char c : text) {
        if (c == '"') {
            quoted = !quoted;
        } else if (!quoted && (c == ' ' || c == '\t' || c == '\n')) {
            if (!word.empty()) out.push_back(std::move(word));
            word.clear();
        } else {
            word += c;
        }
    }
    if (!word.empty()) out.push_back(std::move(word));
    return out;
}

bool isDate(const std::string& s) {
    return s.size() >= 4 && s.size() <= 10 && std::all_of(s.begin(), s.end(), [](char c) { return (c >= '0' && c <= '9') || c == '-'; });
}

int orderOf(LogFacet facet, const std::string& value) {
    if (value == kUnknown) return 1000;
    if (facet == LogFacet::Moon) {
        constexpr std::array<const char*, 5> kMoons{"none", "crescent", "half", "gibbous", "full"};
        return static_cast<int>(std::find(kMoons.begin(), kMoons.end(), value) - kMoons.begin());
    }
    return 0;
}

bool isOrdered(LogFacet facet) {
    return facet == LogFacet::Sky || facet == LogFacet::Moon || facet == LogFacet::Year;
}

std::vector<std::string> inOrder(LogFacet facet, const std::map<std::string, double>& seconds) {
    std::vector<std::string> out;
    for (const auto& [value, s] : seconds) out.push_back(value);
    std::stable_sort(out.begin(), out.end(), [&](const std::string& a, const std::string& b) {
        if (isOrdered(facet)) return std::pair(orderOf(facet, a), a) < std::pair(orderOf(facet, b), b);
        return seconds.at(a) > seconds.at(b);
    });
    return out;
}

} // namespace

std::span<const char* const> logFields() {
    return kFields;
}

LogQuery parseLogQuery(const std::string& text) {
    LogQuery out;
    for (std::string word : wordsOf(text)) {
        LogQuery::Term term;
        if (word.size() > 1 && word[0] == '-') term.without = true, word.erase(0, 1);
        const auto colon = word.find(':');
        if (colon != std::string::npos) {
            std::string field = word.substr(0, colon);
            std::transform(field.begin(), field.end(), field.begin(), [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; });
            const std::string rest = word.substr(colon + 1);
            if (rest.empty() && (field == "from" || field == "to" || std::find(kFields.begin(), kFields.end(), field) != kFields.end()))
                continue; // still being typed
            if ((field == "from" || field == "to") && isDate(rest)) {
                (field == "from" ? out.from : out.to) = rest;
                continue;
            }
            if (std::find(kFields.begin(), kFields.end(), field) != kFields.end()) term.field = field, word = rest;
        }
        term.word = word;
        out.terms.push_back(std::move(term));
    }
    return out;
}

std::string matchExpression(const LogQuery& query, bool without) {
    std::string out;
    for (const LogQuery::Term& t : query.terms) {
        if (t.without != without) continue;
        std::string quoted;
        bool any = false;
        for (const char c : t.word) {
            const auto u = static_cast<unsigned char>(c);
            any = any || u >= 0x80 || std::isalnum(u);
            quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
        }
        if (any) out += fmt::format("{}{}\"{}\" *", out.empty() ? "" : without ? " OR " : " AND ", t.field.empty() ? "" : t.field + " : ", quoted);
    }
    return out;
}

std::string logText(const LogEntry& e, const std::string& field) {
    if (field == "filter") return e.filter;
    if (field == "kind") return e.baseline ? e.kind + " baseline" : e.kind;
    if (field == "target") { // "NGC 3372" is also found as "NGC3372"
        std::string close = e.target.name;
        std::erase(close, ' ');
        return close == e.target.name ? close : e.target.name + " " + close;
    }
    if (field == "place") return e.place;
    if (field == "sky") return e.sky() + (e.skyMag ? fmt::format(" {:.1f}", *e.skyMag) : "");
    if (field == "moon") return e.moon();
    if (field == "rig") return e.rig + " " + e.camera;
    if (field == "night") return e.night;
    if (field == "trial") return e.trial + " " + e.run;
    if (field == "tag") return e.tags;
    if (field == "note") return e.notes;
    return {};
}

bool isWithin(const LogQuery& q, const std::string& night) {
    if (q.from.empty() && q.to.empty()) return true;
    if (night.empty()) return false;
    if (!q.from.empty() && night.substr(0, q.from.size()) < q.from) return false;
    return q.to.empty() || night.substr(0, q.to.size()) <= q.to;
}

const char* logFacetName(LogFacet facet) {
    return wordsOf(facet).name;
}

const char* logFacetField(LogFacet facet) {
    return wordsOf(facet).field;
}

std::string facetOf(const LogEntry& e, LogFacet facet) {
    std::string out;
    switch (facet) {
    case LogFacet::Filter:
        out = e.filter;
        break;
    case LogFacet::Kind:
        out = e.kind;
        break;
    case LogFacet::Target:
        out = e.target.name;
        break;
    case LogFacet::Place:
        out = e.place;
        break;
    case LogFacet::Sky:
        out = e.sky();
        break;
    case LogFacet::Moon:
        out = e.moon();
        break;
    case LogFacet::Rig:
        out = e.rig;
        break;
    case LogFacet::Year:
        out = e.night.substr(0, 4);
        break;
    case LogFacet::None:
        return "hours";
    }
    return out.empty() ? kUnknown : out;
}

LogHours hoursBy(const std::vector<const LogEntry*>& entries, LogFacet rowFacet, LogFacet columnFacet) {
    std::map<std::string, double> rows, columns;
    std::map<std::pair<std::string, std::string>, double> cells;
    std::map<std::string, int> runs;
    std::map<std::string, std::set<std::string>> nights;
    for (const LogEntry* e : entries) {
        const std::string r = facetOf(*e, rowFacet), c = facetOf(*e, columnFacet);
        const double s = e->total_s.value_or(0);
        rows[r] += s, columns[c] += s, cells[{r, c}] += s, ++runs[r];
        if (!e->night.empty()) nights[r].insert(e->night);
    }
    LogHours out;
    out.rows = inOrder(rowFacet, rows), out.columns = inOrder(columnFacet, columns);
    for (const std::string& r : out.rows) {
        std::vector<double> line;
        for (const std::string& c : out.columns) {
            const auto it = cells.find({r, c});
            line.push_back(it == cells.end() ? 0 : it->second);
        }
        out.seconds.push_back(std::move(line));
        out.runs.push_back(runs[r]);
        const auto& n = nights[r];
        out.first.push_back(n.empty() ? "" : *n.begin()), out.last.push_back(n.empty() ? "" : *n.rbegin());
    }
    return out;
}

} // namespace caelumen
