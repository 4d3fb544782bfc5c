#include "cli/outcome.h"
#include "cli/painted.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/compare/measure_trial.h"
#include "core/model/results_read.h"
#include "core/verdict/verdict.h"
#include "report/html_report.h"
#include "report/pdf_report.h"
#include "report/report_bundle.h"
#include "store/campaign.h"

#include <fmt/format.h>

#include <filesystem>
#include <memory>
#include <optional>

namespace caelumen::cli {
namespace fs = std::filesystem;
namespace {

/// The trial in a trial file, or one of a campaign's.
Result<Trial> trialIn(const fs::path& path, const std::string& number) {
    if (endingOf(path) != ".caelumen") return readTrial(path);
    const auto campaign = Campaign::openToRead(QString::fromStdString(nameText(path)));
    if (!campaign) return campaign.error();
    const auto trials = (*campaign)->trials();
    if (!trials) return trials.error();
    if (trials->empty()) return Error{fmt::format("{} holds no trial; add one first.", shown(path))};
    const auto wanted = number.empty() ? std::optional(1) : wholeNumber(number, 1, static_cast<int>(trials->size()));
    if (!wanted) return Error{fmt::format("{} holds {} trials; --trial {} is none of them.", shown(path), trials->size(), number)};
    return (*campaign)->trial((*trials)[static_cast<std::size_t>(*wanted - 1)].id);
}

/// What a report is of: a trial that is measured now, or results that were written before.
Result<ReadResults> reported(const fs::path& path, const std::string& number, const fs::path& out) {
    if (endingOf(path) == ".json") {
        const auto json = readJson(path);
        if (!json) return json.error();
        if (json->is_object() && json->contains("caelumen_results")) {
            if (const Status safe = outputsAreSafe({out}, {path}); !safe) return safe.error();
            return resultsFromJson(*json, shown(path));
        }
    }
    auto trial = trialIn(path, number);
    if (!trial) return trial.error();
    auto inputs = filesOf(*trial, path.parent_path());
    inputs.push_back(path);
    if (const Status safe = outputsAreSafe({out}, inputs); !safe) return safe.error();
    auto results = measureTrial(*trial, path.parent_path(), terminalJob());
    if (!results) return results.error();
    return ReadResults{std::move(*trial), std::move(*results)};
}

/// The campaign's other trials, measured: a verdict rests on all of them.
void addOtherTrials(const Campaign& campaign, const Trial& own, std::vector<GridTrial>& trials) {
    const auto entries = campaign.trials();
    if (!entries) return;
    for (const Campaign::Entry& e : *entries) {
        auto trial = campaign.trial(e.id);
        if (!trial || trial->runs.empty() || measuredAlike(*trial, own)) continue;
        auto results = measureTrial(*trial, {}, terminalJob());
        if (!results) {
            note(fmt::format("{} could not be measured: {}", e.title.toStdString(), results.error().message));
            continue;
        }
        std::string name = e.title.toStdString();
        for (const GridTrial& t : trials)
            if (t.name == name) name += fmt::format(" ({})", trials.size() + 1);
        trials.push_back({name, std::move(*trial), {}, std::make_shared<const TrialResults>(std::move(*results))});
    }
}

/// What a campaign's window keeps for its report, and what the options say.
Result<ReportExtras> extrasOf(const Arguments& a, const ReadResults& of, const fs::path& path) {
    ReportExtras out;
    std::optional<Profile> profile;
    std::vector<GridTrial> trials{{of.trial.title, of.trial, path.parent_path(), std::make_shared<const TrialResults>(of.results)}};
    if (endingOf(path) != ".json") {
        auto campaign = Campaign::openToRead(QString::fromStdString(nameText(path)));
        if (campaign) {
            static_cast<ReportWords&>(out) = reportWordsFrom((*campaign)->setting("report").toStdString());
            if (const auto kept = profileFromText((*campaign)->setting("profile").toStdString(), "the campaign's profile")) profile = *kept;
            if (a.has("--profile") || profile) addOtherTrials(**campaign, of.trial, trials);
        }
    }
    if (a.has("--paper")) out.letter = a.value("--paper") == "letter";
    if (a.has("--template")) {
        auto page = readText(a.value("--template"), 4U << 20U);
        if (!page) return page.error();
        out.page = std::move(*page);
    }
    if (a.has("--profile")) {
        auto read = readProfile(a.value("--profile"));
        if (!read) return read.error();
        profile = std::move(*read);
    }
    if (!profile) return out;
    auto input = gridInput(trials, {}, settingOf(*profile));
    if (!input) return input.error();
    const GridModel model(std::move(*input));
    auto verdict = judge(*profile, trials, model);
    if (!verdict && a.has("--profile")) return verdict.error();
    if (verdict) out.profile = profile, out.verdict = std::make_shared<const Verdict>(std::move(*verdict));
    return out;
}

} // namespace

int report(const Arguments& a) {
    const std::string usage = kReportUsage;
    if (!a.has("--out")) return misuse("--out FILE is missing", usage);
    const fs::path path = a.words[0], out = a.value("--out");
    const std::string ending = endingOf(out);
    if (ending != ".html" && ending != ".pdf" && ending != ".zip" && ending != ".csv" && ending != ".json")
        return misuse("--out must end in .html, .pdf, .zip, .csv or .json", usage);
    if (const std::string paper = a.value("--paper"); a.has("--paper") && paper != "a4" && paper != "letter")
        return misuse("--paper must be a4 or letter", usage);
    const auto of = reported(path, a.value("--trial"), out);
    if (!of) return fail(path, of.error().message);
    for (const std::string& warning : of->results.warnings) note(warning);
    std::string text;
    if (ending == ".html" || ending == ".pdf" || ending == ".zip") {
        const auto extras = extrasOf(a, *of, path);
        if (!extras) return fail(path, extras.error().message);
        auto page = ending == ".zip" ? reportBundle(of->trial, of->results, path.parent_path(), *extras, terminalJob())
                                     : htmlReport(of->trial, of->results, path.parent_path(), terminalJob(), *extras);
        if (page && ending == ".pdf") page = pdfReport(*page, of->trial.title, extras->letter);
        if (!page) return fail(path, page.error().message);
        text = std::move(*page);
    } else {
        text = ending == ".csv" ? resultsToCsv(of->results) : jsonText(resultsToJson(of->results), 1) + "\n";
    }
    const Status done = writeFile(out, text);
    return done ? kDone : fail(done.error().message);
}

} // namespace caelumen::cli
