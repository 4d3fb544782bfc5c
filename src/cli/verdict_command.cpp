#include "cli/verdict_command.h"

#include "cli/outcome.h"
#include "cli/trials.h"
#include "core/base/json.h"
#include "core/verdict/verdict.h"

#include <fmt/ranges.h>

namespace caelumen::cli {
namespace fs = std::filesystem;

const Shape kVerdictShape{{}, {"--json"}, 2, 1000};

namespace {

void table(const Verdict& v) {
    say("{:<4}{:<26}{:>16}{:>8}  {}\n", "", "filter", "score", "best", "not told apart from");
    int place = 0;
    for (const RankedFilter& f : v.ranking) {
        say("{:<4}{:<26}{:>16}{:>6.0f} %  {}\n", fmt::format("{}.", ++place), f.id, fmt::format("{:+.2f} +-{:.2f}", f.score, f.sigma), 100 * f.pBest,
            fmt::join(f.tiedWith, ", "));
        for (const std::string& reason : f.reasons) say("    {}\n", reason);
    }
    say("\n");
    for (const FilterValue& x : v.value)
        say("{:<30}{:>16}  {:>16} h a year{}\n", x.id, x.price ? fmt::format("{:.2f} {}", *x.price, x.currency) : x.whyNoPrice,
            fmt::format("{:+.1f} +-{:.1f}", x.hoursSaved, x.sigma), x.pricePerHour ? fmt::format(", {:.2f} {} for each", *x.pricePerHour, x.currency) : "");
    say("\n");
    for (const std::string& s : v.sentences) say("{}\n", s);
    if (!v.notTested.empty()) say("\nNot tested:\n");
    for (const std::string& s : v.notTested) say("  {}\n", s);
}

} // namespace

int verdict(const Arguments& a) {
    const fs::path path = a.words[0];
    const auto profile = readProfile(path);
    if (!profile) return fail(path, profile.error().message);
    for (const std::string& remark : profile->notes) note(remark);
    const std::vector<std::string> files(a.words.begin() + 1, a.words.end());
    std::vector<GridTrial> trials;
    std::vector<fs::path> inputs;
    if (const auto bad = readTrials(files, trials, inputs)) return *bad;
    // A filter that nobody knows is told before anything is measured.
    if (!profile->owned.empty() && std::none_of(trials.begin(), trials.end(), [&](const GridTrial& t) { return t.trial.filter(profile->owned) != nullptr; }))
        return fail(path, fmt::format("The profile owns the filter \"{}\", which is none of the trials'; name one of theirs, or none.", profile->owned));
    if (const auto bad = measureTrials(files, trials)) return *bad;
    auto input = gridInput(trials, {}, settingOf(*profile));
    if (!input) return fail(input.error().message);
    const GridModel model(std::move(*input));
    for (const std::string& remark : model.input().notes) note(remark);
    const auto judged = judge(*profile, trials, model);
    if (!judged) return fail(path, judged.error().message);
    for (const std::string& remark : judged->notes) note(remark);
    if (a.has("--json"))
        say("{}\n", jsonText(verdictToJson(*profile, *judged), 1));
    else
        table(*judged);
    return kDone;
}

} // namespace caelumen::cli
