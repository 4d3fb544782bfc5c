#include "cli/merge_command.h"

#include "cli/outcome.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/merge/merge.h"

#include <algorithm>
#include <cmath>

namespace caelumen::cli {
namespace fs = std::filesystem;

const Shape kMergeShape{{}, {"--json"}, 1, 10'000};

namespace {

void table(const std::vector<MergedFigure>& figures) {
    std::string filter;
    for (const MergedFigure& f : figures) {
        if (f.filter != filter) say("{}{}\n", filter.empty() ? "" : "\n", f.filter);
        filter = f.filter;
        const std::string what = f.quantity + (f.channel.empty() ? "" : " " + f.channel) + (f.regionKind.empty() ? "" : ", " + f.regionKind);
        if (f.testers == 0) {
            say("  {:<34} not merged: {}\n", what, leftOutReason(f.each.front().leftOut));
            continue;
        }
        say("  {:<34} {:>11.5g} +-{:<10.2g} {} tester{}{}\n", what, f.value, f.sigma, f.testers, f.testers == 1 ? "" : "s",
            f.betweenSigma > 0 ? fmt::format(", scatter between them {:.2g}{}", f.betweenSigma, isAveragedInLogarithms(f.quantity) ? " (in logarithms)" : "")
                               : "");
        for (const MergeShare& s : f.each)
            if (standsOut(f, s))
                say("  {:<34} {} stands {:.1f} of its errors {} the others\n", "", s.source, std::abs(s.apart), s.apart > 0 ? "above" : "below");
    }
}

} // namespace

int merge(const Arguments& a) {
    std::vector<TesterResults> testers;
    std::vector<std::pair<std::string, std::string>> known; // what a file holds, and its name
    for (const std::string& word : a.words) {
        const fs::path path = word;
        auto bytes = readText(path);
        if (!bytes) return fail(path, bytes.error().message);
        const auto same = std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.first == *bytes; });
        if (same != known.end()) {
            note(fmt::format("{} holds the same results as {}: they count once.", shown(path), same->second));
            continue;
        }
        const auto json = parseJson(*bytes, shown(path));
        auto results = json ? testerResultsFromJson(*json, shown(path)) : Result<TesterResults>(json.error());
        if (!results) return fail(path, results.error().message);
        known.emplace_back(std::move(*bytes), shown(path));
        for (const TesterResults& other : testers)
            if (areTheSame(other, *results))
                note(fmt::format("{} and {} hold the same figures: is it one night, shared twice? They count as two.", shown(path), other.source));
        testers.push_back(std::move(*results));
    }
    const auto merged = mergeResults(testers);
    if (a.has("--json"))
        say("{}\n", jsonText(mergedToJson(merged), 1));
    else
        table(merged);
    return kDone;
}

} // namespace caelumen::cli
