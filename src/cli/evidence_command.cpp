#include "cli/evidence_command.h"

#include "cli/outcome.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/tables.h"
#include "core/base/text.h"
#include "core/live/evidence.h"

#include <algorithm>
#include <cmath>

namespace caelumen::cli {
namespace fs = std::filesystem;

const Shape kEvidenceShape{{"--alpha"}, {"--json", "--swaps-only"}, 1, 100'000};

namespace {

struct Series {
    std::vector<std::string> filters;
    std::vector<LivePoint> points;
};

/// Rows of seconds, filter and value; a first row that is no number names the columns.
Result<Series> readSeries(const fs::path& path) {
    const auto text = readText(path);
    if (!text) return text.error();
    Series out;
    int line = 0;
    for (const std::vector<std::string>& row : csvRows(*text)) {
        ++line;
        if (row.empty() || (row.size() == 1 && row[0].empty())) continue;
        const auto second = number(row[0], -1e15, 1e15);
        if (!second && line == 1) continue;
        const auto value = row.size() < 3 ? std::nullopt : number(row[2], -1e300, 1e300);
        if (!second || !value) return Error{fmt::format("{}: row {} must hold seconds, a filter and a value, with commas between them.", shown(path), line)};
        const std::string& filter = row[1];
        auto at = std::find(out.filters.begin(), out.filters.end(), filter);
        if (at == out.filters.end()) at = out.filters.insert(at, filter);
        if (out.filters.size() > 50) return Error{fmt::format("{} holds more than fifty filters; the second column must name them.", shown(path))};
        out.points.push_back({*second, static_cast<std::size_t>(at - out.filters.begin()), *value});
    }
    if (out.filters.size() < 2) return Error{fmt::format("{} holds fewer than two filters; there is nothing to tell apart.", shown(path))};
    return out;
}

} // namespace

int evidence(const Arguments& a) {
    double alpha = 0.05;
    if (a.has("--alpha")) {
        const auto given = number(a.value("--alpha"), 1e-12, 0.5);
        if (!given) return misuse("--alpha needs a number from 1e-12 to 0.5", kEvidenceUsage);
        alpha = *given;
    }
    Json tables = Json::array();
    for (const std::string& word : a.words) {
        const auto series = readSeries(word);
        if (!series) return fail(fs::path(word), series.error().message);
        const auto steps = stepsOf(series->points, !a.has("--swaps-only"));
        Json pairs = Json::array();
        for (std::size_t i = 0; i < series->filters.size(); ++i)
            for (std::size_t k = i + 1; k < series->filters.size(); ++k) {
                const auto all = evidenceOf(steps, i, k, alpha);
                const auto told = std::find_if(all.begin(), all.end(), [&](const LiveEvidence& e) { return e.logEvidence >= -std::log(alpha); });
                Json pair{{"a", series->filters[i]}, {"b", series->filters[k]}, {"steps", all.empty() ? 0 : all.back().steps}};
                if (!all.empty()) {
                    const LiveEvidence& e = all.back();
                    pair["difference"] = e.difference, pair["sigma"] = e.sigma;
                    pair["low"] = e.low ? Json(*e.low) : Json(nullptr), pair["high"] = e.high ? Json(*e.high) : Json(nullptr);
                    pair["log10_odds"] = e.logEvidence / std::log(10.0);
                }
                pair["told_apart"] = told != all.end();
                pair["told_at"] = told != all.end() ? Json(told->second) : Json(nullptr);
                if (!a.has("--json"))
                    say("{}: {} against {}: {}\n", shown(fs::path(word)), series->filters[k], series->filters[i],
                        all.empty() ? "too early; swap filters and back once more"
                                    : fmt::format("{:.4g} +- {:.2g}{}, {}", all.back().difference, all.back().sigma,
                                                  all.back().low ? fmt::format(" ({:.4g} to {:.4g} at all looks)", *all.back().low, *all.back().high) : "",
                                                  told != all.end() ? "told apart" : "go on"));
                pairs.push_back(std::move(pair));
            }
        tables.push_back({{"file", shown(fs::path(word))}, {"pairs", std::move(pairs)}});
    }
    if (a.has("--json")) say("{}\n", jsonText({{"caelumen_evidence", 1}, {"alpha", alpha}, {"tables", std::move(tables)}}, 1));
    return kDone;
}

} // namespace caelumen::cli
